package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"net/url"

	"github.com/spf13/cobra"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// forwarding says how far the audit has been sent.
func (r *screen) forwarding(w io.Writer, f event.Forwarding) {
	switch {
	case f.Target == "":
		fmt.Fprintln(w, "The audit is sent nowhere. To send it: settings: {audit: {forward: \"tls://log.example:6514\"}}")
		return
	case f.Code != "":
		fmt.Fprintf(w, "The audit cannot be sent to %s since %s: %s; %s.\n", f.Target,
			r.zone().At(f.Since), f.Says, f.Fix)
	default:
		fmt.Fprintf(w, "The audit is sent to %s.\n", f.Target)
	}
	at := "Nothing has surely arrived yet"
	if f.At != nil {
		at = "What was written before " + r.zone().At(*f.At) + " has arrived"
	}
	waiting := fmt.Sprintf("%d entries are on their way", f.Waiting)
	switch {
	case f.Waiting == 0:
		waiting = "nothing waits"
	case f.Waiting == 1:
		waiting = "one entry is on its way"
	case f.Waiting >= 1000:
		waiting = "1000 entries or more wait"
	}
	fmt.Fprintf(w, "%s; %s.\n", at, waiting)
}

func auditCommand(r *root) *cobra.Command {
	var author, about, kind string
	var since, until cmdline.Moment
	var limit int
	var all bool
	c := &cobra.Command{Use: "audit", Short: "Who changed what and who signed in: when, from where, what before and after",
		Args: cmdline.Args(0, 0),
		Long: `List changes and sign-ins, newest first. Nothing in it can be altered.

--lines writes all of it as JSON lines, one entry a line with what was before and after, for a file
or another program:

  cirque audit --since 2026-11-01 --lines > november.jsonl`,
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			query := url.Values{"author": {author}, "about": {about}, "kind": {kind}}
			r.setTime(query, "since", &since)
			r.setTime(query, "until", &until)
			if all {
				return r.auditLines(c, client, query)
			}
			query.Set("limit", fmt.Sprint(limit))
			page, err := apiclient.Page[event.Event](c.Context(), client, "/api/v1/audit", query)
			if err != nil {
				return err
			}
			return r.print(c, page.Items, func(w io.Writer) {
				if len(page.Items) == 0 {
					fmt.Fprintln(w, "Nothing was changed, and nobody signed in, that this asks for.")
					return
				}
				t := r.table("WHEN", "WHO", "FROM", "WHAT HAPPENED")
				for _, e := range page.Items {
					t.add(r.zone().At(e.At), e.Author, e.Remote, e.Says)
				}
				t.write(w)
				if page.Next != "" {
					fmt.Fprintf(w, "These are the newest %d. For more: --limit, for all: --lines\n", limit)
				}
			})
		}}
	f := c.Flags()
	f.Var(&since, "since", "from this day or moment on, such as 2026-11-01 or 3d")
	f.Var(&until, "until", "before this day or moment")
	f.StringVar(&author, "by", "", "who did it: an account, a token, or a sign-in's address")
	f.StringVar(&about, "about", "", "what it concerns, by name")
	f.StringVar(&kind, "kind", "", "a kind, such as token.made, or what stands before its dot")
	f.IntVar(&limit, "limit", 50, "how many")
	f.BoolVar(&all, "lines", false, "all of it, as JSON lines")
	c.AddCommand(ask(r, "forwarding", "How far the audit has been sent to whom settings.audit names", cmdline.Args(0, 0),
		get[event.Forwarding](fixed("/api/v1/audit/forwarding")), r.forwarding))
	return c
}

func (r *root) auditLines(c *cobra.Command, client *apiclient.Client, query url.Values) error {
	resp, err := client.Raw(c.Context(), "GET", "/api/v1/audit/lines", query, nil, nil)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	enc := json.NewEncoder(c.OutOrStdout())
	return lines(resp.Body, func(e event.Event) error {
		if e.Kind == event.Incomplete {
			return fault.New(fault.Unavailable, "audit-incomplete", "ask again", "%s", e.Says)
		}
		return enc.Encode(e)
	})
}
