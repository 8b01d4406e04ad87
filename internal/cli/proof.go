package cli

import (
	"cmp"
	"fmt"
	"io"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/endpoint"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func proofCommand(r *root) *cobra.Command {
	var revision, most int
	var queue string
	c := ask(r, "proof", "Whether a change has arrived: where it is expected, where it is, where a test page came out",
		cmdline.Args(0, 0), func(c *cobra.Command, client *apiclient.Client, _ []string) (endpoint.Proof, error) {
			return apiclient.Get[endpoint.Proof](c.Context(), client, "/api/v1/proof",
				url.Values{"revision": {strconv.Itoa(revision)}, "queue": {queue}, "limit": {strconv.Itoa(most)}})
		}, r.writeProof)
	c.Long = `Whether a change has arrived. Of a revision (the current one where none is named): what it asks of
each endpoint, against what the endpoint reported last. Of a queue: who is to have it, who has it,
and who has it and must not. Test pages count where a checkup sent them from the endpoint itself:
cirque endpoint checkup MACHINE --queue QUEUE.`
	c.Example = "  cirque proof\n  cirque proof --revision 12\n  cirque proof --queue hall-mono"
	c.Flags().IntVar(&revision, "revision", 0, "of this change")
	c.Flags().StringVar(&queue, "queue", "", "of this queue, as it is now")
	c.Flags().IntVar(&most, "limit", 500, "how many lines to show, what has not arrived first")
	formerFlag(c, "most", "limit")
	return c
}

func (r *screen) writeProof(w io.Writer, p endpoint.Proof) {
	of := "Queue " + p.Queue
	if p.Queue == "" {
		of = fmt.Sprintf("Revision %d", p.Revision)
	}
	fmt.Fprintf(w, "%s: %s.\n", of, strings.TrimSuffix(p.Says, "."))
	if len(p.Rows) == 0 {
		return
	}
	t := r.table("ENDPOINT", "FOR", "QUEUE", "EXPECTED", "STATUS", "DETAIL", "TEST PAGE")
	for _, x := range p.Rows {
		t.add(x.Machine, cmp.Or(x.User, "everybody"), x.Queue, map[string]string{"gains": "comes", "changes": "changes",
			"loses": "goes", "has": "is there"}[x.Kind], string(x.State), x.Says, testedSays(x.Tested))
	}
	t.write(w)
	if hidden := p.Expected + p.Beyond - len(p.Rows); hidden > 0 {
		fmt.Fprintf(w, "and %d more: --most.\n", hidden)
	}
}

func testedSays(t *endpoint.Tested) string {
	switch {
	case t == nil:
		return ""
	case t.PrintResult != nil:
		return fmt.Sprintf("%s, %s by %s", t.PrintResult.Result, ago(t.PrintResult.At, time.Now()), t.PrintResult.By)
	case t.Result == endpoint.No:
		return "failed " + ago(t.At, time.Now()) + ": " + t.Says
	}
	return "sent " + ago(t.At, time.Now()) + " by " + t.By
}

func unreachedCommand(r *root) *cobra.Command {
	c := ask(r, "unreached", "Machines that receive queues and from which no agent has reported, with another "+
		"way for each", cmdline.Args(0, 0), items[endpoint.Unreached](fixed("/api/v1/fleet/unreached")), func(w io.Writer,
		list []endpoint.Unreached) {
		if len(list) == 0 {
			fmt.Fprintln(w, "Every machine that receives a queue has an agent that reported.")
			return
		}
		t := r.table("MACHINE", "KNOWN AS", "PLATFORM", "LOCATION", "QUEUES", "WHY")
		instead := map[string][]string{}
		var order []string
		for _, u := range list {
			t.add(u.Machine, u.Known, u.Platform, u.Location, fmt.Sprint(len(u.Queues)), u.Why)
			if instead[u.Instead] == nil {
				order = append(order, u.Instead)
			}
			instead[u.Instead] = append(instead[u.Instead], u.Machine)
		}
		t.write(w)
		fmt.Fprintf(w, "%s. What reaches them:\n", words.Count(len(list), "machine"))
		for _, i := range order {
			some := instead[i][:min(len(instead[i]), 4)]
			more := ""
			if n := len(instead[i]) - len(some); n > 0 {
				more = fmt.Sprintf(" and %d more", n)
			}
			fmt.Fprintf(w, "  %s%s: %s.\n", strings.Join(some, ", "), more, i)
		}
	})
	return c
}

func talksCommand(r *root) *cobra.Command {
	var site string
	c := ask(r, "paths", "Which server, device or gateway each endpoint leads to now", cmdline.Args(0, 0),
		func(c *cobra.Command,
			client *apiclient.Client, _ []string) ([]endpoint.Talk, error) {
			return apiclient.List[endpoint.Talk](c.Context(), client, "/api/v1/fleet/paths", url.Values{"site": {site}})
		}, func(w io.Writer, list []endpoint.Talk) {
			if len(list) == 0 {
				fmt.Fprintln(w, "No endpoint there has a queue of the agent's.")
				return
			}
			t := r.table("ENDPOINT", "LOCATION", "LEADS TO", "QUEUES")
			for _, x := range list {
				t.add(x.Machine, cmp.Or(x.Location, "not known"), strings.TrimSpace(x.Kind+" "+x.Name), strings.Join(x.Queues,
					", "))
			}
			t.write(w)
		})
	c.Flags().StringVar(&site, "site", "", "only endpoints at this site")
	return c
}
