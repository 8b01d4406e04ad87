package cli

import (
	"fmt"
	"io"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/endpoint"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// checkupWaits is how long the client waits for what the endpoint finds from its own place.
const checkupWaits = 30 * time.Second

func checkupCommand(r *root) *cobra.Command {
	var queue string
	wait := cmdline.Span(checkupWaits)
	c := &cobra.Command{Use: "checkup MACHINE", Short: "Check an endpoint step by step: what is wrong, and how to mend it",
		Args: cmdline.Args(1, 1),
		Long: `Check an endpoint: whether it reaches the service, is known, and where; whether its people are known
and anything is granted to them; then, asked of the endpoint itself, whether its spooler works, its
queues are there, and each path answers from its own place. With --queue it prints a test page.
Nothing proven is a third result beside yes and no.`,
		Example: "  cirque endpoint checkup till-07\n  cirque endpoint checkup till-07 --queue hall-mono",
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			k, err := r.runCheckup(c, client, a[0], url.Values{"queue": {queue}}, time.Duration(wait))
			if err != nil {
				return err
			}
			if err := r.print(c, k, func(w io.Writer) { writeCheckup(w, k) }); err != nil {
				return err
			}
			if k.First() != "" {
				return cmdline.ErrNo
			}
			return nil
		}}
	c.Flags().StringVar(&queue, "queue", "", "also print a test page to this queue, from the endpoint")
	c.Flags().Var(&wait, "wait", "how long to wait for what the endpoint finds itself")
	return c
}

// runCheckup asks for one and waits for what the endpoint finds.
func (r *root) runCheckup(c *cobra.Command, client *apiclient.Client, machine string, query url.Values,
	wait time.Duration) (k endpoint.Checkup, err error) {
	if err := client.Do(c.Context(), "POST", apiclient.Path("/api/v1/endpoints", machine)+"/checkups", query, nil,
		&k); err != nil {
		return k, err
	}
	for end := time.Now().Add(wait); k.ID > 0 && k.Done == nil && time.Now().Before(end); {
		select {
		case <-c.Context().Done():
			return k, c.Context().Err()
		case <-time.After(200 * time.Millisecond):
		}
		if k, err = apiclient.Get[endpoint.Checkup](c.Context(), client, fmt.Sprintf("/api/v1/checkups/%d", k.ID),
			nil); err != nil {
			return k, err
		}
	}
	return k, nil
}

// writeCheck says what a check found, and how to mend it.
func writeCheck(w io.Writer, indent string, c endpoint.Check) {
	fmt.Fprintf(w, "%s%-9s %s %s.\n", indent, c.Result, c.Check, strings.TrimSuffix(c.Says, "."))
	if c.Fix != "" {
		fmt.Fprintf(w, "%s%-9s   To mend it: %s.\n", indent, "", c.Fix)
	}
}

func writeCheckup(w io.Writer, k endpoint.Checkup) {
	by := ""
	for _, r := range k.Checks {
		if r.By != by {
			by = r.By
			fmt.Fprintln(w, map[string]string{"service": "From here:", "endpoint": "From " + k.Machine + ":"}[by])
		}
		writeCheck(w, "  ", r)
	}
	if first := k.First(); first != "" {
		fmt.Fprintf(w, "The first that is wrong: %s.\n", strings.TrimSuffix(first, "."))
	}
	if k.ID > 0 && k.Done == nil {
		fmt.Fprintf(w, "%s has not answered from its own place yet.\n", k.Machine)
	}
	if t := k.Tested(); t != nil && t.Result != endpoint.No && t.PrintResult == nil {
		fmt.Fprintf(w, "Tell what came out: cirque endpoint print-result %d good|garbled|nothing\n", k.ID)
	}
}
