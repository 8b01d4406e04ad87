package cli

import (
	"fmt"
	"io"
	"net/url"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func publishCommand(r *root) *cobra.Command {
	var reason string
	var yes, breaks bool
	c := &cobra.Command{Use: "publish", Short: "Make your draft the current revision", Args: cmdline.Args(0, 0),
		Long: `Make your draft the current revision. What has been published since the draft began is kept: objects
that only one side changed are merged; what both changed in different ways is refused, with both
sides shown. What there is to remark on then, and is not so now, is shown; a person at a terminal is
asked whether to go on. What would break a promise that is kept now is refused; see cirque promise.

With --at it is published by itself at that time, as it is now, merged with what has been published
until then, by what you may then. Your draft is empty again and can be worked on. All that
publishing it now would be refused for is refused at once; where it cannot be published at its
time, it is a draft again, and says why; cirque publish waiting lists both.`,
		Example: "  cirque publish -m \"the new hall\"\n  cirque publish --at 2027-01-04T06:00 -m \"the hall reopens\""}
	at := cmdline.Moment{Ahead: true}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		if err := askOfFindings(c, client, name().Get("name"), yes); err != nil {
			return err
		}
		in := api.PublishDraft{Reason: reason, BreakPromises: breaks}
		if when := at.At(time.Now()); !when.IsZero() {
			var d api.Draft
			if err := client.Do(c.Context(), "POST", "/api/v1/draft/publish-at", name(), api.PublishAt{PublishDraft: in,
				At: when}, &d); err != nil {
				return err
			}
			return r.print(c, d, func(w io.Writer) {
				fmt.Fprintf(w, "The draft is called %s now.\n", d.Name)
				writeTimed(w, r, d.Draft)
			})
		}
		var p api.Published
		if err := client.Do(c.Context(), "POST", "/api/v1/draft/publish", name(), in, &p); err != nil {
			return err
		}
		return r.print(c, p, func(w io.Writer) { fmt.Fprintf(w, "Revision %d is published.\n", p.Revision.Number) })
	}
	c.Flags().StringVarP(&reason, "reason", "m", "", "why, in a few words")
	c.Flags().BoolVar(&yes, "yes", false, "do not ask, whatever there is to remark on")
	c.Flags().Var(&at, "at", "publish it by itself at this time, such as 2027-01-04T06:00, 22:00 or 8h")
	breakFlag(c, &breaks)
	c.AddCommand(publishWaitingCommand(r), publishCancelCommand(r))
	return c
}

// askOfFindings shows what a draft brings about that there would be to remark on, and asks a person at a terminal
// whether to go on. Findings stop nothing by themselves.
func askOfFindings(c *cobra.Command, client *apiclient.Client, draft string, yes bool) error {
	k, err := apiclient.Post[api.Checked](c.Context(), client, "/api/v1/estate/check", api.CheckEstate{Draft: draft})
	if err != nil || len(k.New) == 0 {
		return nil // what is wrong with the draft, publishing says
	}
	fmt.Fprintf(c.ErrOrStderr(), "The draft brings about %s:\n", words.Count(len(k.New), "finding"))
	for _, f := range k.New {
		fmt.Fprintf(c.ErrOrStderr(), "  %s %s: %s; %s\n", f.Severity, f.Object, f.Says, f.Fix)
	}
	if yes || !atTerminal(c) {
		return nil
	}
	return confirmed(c, false, "--yes", "these stop nothing", "Publish all the same?")
}

func revertCommand(r *root) *cobra.Command {
	var reason string
	var dry, yes, breaks bool
	c := &cobra.Command{Use: "revert NUMBER", Short: "Make a former revision current again, as a new one",
		Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command, a []string) error {
			number, err := revisionNumber(a[0])
			if err != nil {
				return err
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			if told, err := r.lookFirst(c, client, api.CheckEstate{Revision: number}, dry, yes); told || err != nil {
				return err
			}
			p, err := apiclient.Post[api.Published](c.Context(), client, fmt.Sprintf("/api/v1/revisions/%d/revert", number),
				api.Revert{Reason: reason, BreakPromises: breaks})
			if err != nil {
				return err
			}
			return r.print(c, p, func(w io.Writer) {
				if p.Unchanged {
					fmt.Fprintf(w, "The estate is already as in revision %d.\n", number)
					return
				}
				fmt.Fprintf(w, "Revision %d is published: the estate is as in revision %d.\n", p.Revision.Number, number)
			})
		}}
	c.Long = `Make a former revision current again, as a new one. What would come of it: cirque revert NUMBER --dry-run,
and cirque rehearse --revision NUMBER. What would take out all of a list, or more than half of one
with over ten objects, wants --yes; a person at a terminal is asked.`
	c.Example = "  cirque revert 12 --dry-run\n  cirque revert 12 -m \"the hall is not ready\""
	c.Flags().StringVarP(&reason, "reason", "m", "", "why, in a few words")
	c.Flags().BoolVar(&dry, "dry-run", false, "say what would change, and publish nothing")
	c.Flags().BoolVar(&yes, "yes", false, "also where that takes out all, or most, of a list")
	breakFlag(c, &breaks)
	return c
}

func breakFlag(c *cobra.Command, into *bool) {
	c.Flags().BoolVar(into, "break-promises", false, "also where promises that are kept now would be broken")
}

func revisionNumber(s string) (n int, err error) {
	if _, err := fmt.Sscanf(s+"\n", "%d\n", &n); err != nil || n < 1 {
		return 0, usagef("%q is no number of a revision", s)
	}
	return n, nil
}

// undoCommand takes back what one revision did to one object.
func undoCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "undo REVISION LIST NAME", Short: "Take back, in your draft, what a revision did to one " +
		"object", Args: cmdline.Args(3, 3),
		Long: `Take back, in your draft, what one revision did to one object. What has been done to other keys of
it since stays; where the same key has been changed again, it is said, and nothing is done.`}
	var e editing
	e.flags(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		number, err := revisionNumber(a[0])
		if err != nil {
			return err
		}
		list, err := refs(a[1:])
		if err != nil {
			return err
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		q := withDry(e.name(), e.dry)
		q.Set("list", list[0].List)
		q.Set("object", list[0].Name)
		var d api.Draft
		if err := client.Do(c.Context(), "POST", fmt.Sprintf("/api/v1/revisions/%d/undo", number), q, nil, &d); err != nil {
			return err
		}
		return r.print(c, d, func(w io.Writer) { writeEdited(w, d, e.dry, list...) })
	}
	return c
}

func diffCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "diff FROM [TO]", Short: "What differs between two revisions; TO is the current one " +
		"when absent", Args: cmdline.Args(1, 2), RunE: func(c *cobra.Command, a []string) error {
		q := url.Values{}
		for i, key := range []string{"from", "to"}[:len(a)] {
			n, err := revisionNumber(a[i])
			if err != nil {
				return err
			}
			q.Set(key, fmt.Sprint(n))
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		d, err := apiclient.Get[api.Diffs](c.Context(), client, "/api/v1/diff", q)
		if err != nil {
			return err
		}
		return r.print(c, d, func(w io.Writer) {
			if d.Total == 0 {
				fmt.Fprintln(w, "They are the same.")
				return
			}
			fmt.Fprintf(w, "They differ in %s.\n", words.Count(d.Total, "object"))
			writeDiffs(w, d.Diffs, d.Total)
		})
	}}
}
