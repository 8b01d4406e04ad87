package cli

import (
	"fmt"
	"io"
	"net/url"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/estate"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func draftProposeCommand(r *root) *cobra.Command {
	var in api.Reason
	var name func() url.Values
	c := ask(r, "propose -m REASON", "Propose your draft, as it is, to an administrator of all sites", cmdline.Args(0, 0),
		func(c *cobra.Command, client *apiclient.Client, _ []string) (d api.Draft, err error) {
			return d, client.Do(c.Context(), "POST", "/api/v1/draft/propose", name(), in, &d)
		}, func(w io.Writer, d api.Draft) {
			fmt.Fprintf(w, "The draft %s is proposed. It stays yours; changing it takes the proposal back.\n", d.Name)
		})
	c.Long = `Propose your draft, as it is, to an administrator of all sites: what people at other sites receive
changes only with them. They see it with cirque draft proposals.`
	name = draftFlag(c)
	c.Flags().StringVarP(&in.Reason, "reason", "m", "", "why, in a few words")
	formerFlag(c, "message", "reason")
	return c
}

func draftProposalsCommand(r *root) *cobra.Command {
	return ask(r, "proposals", "Drafts that are proposed to administrators of all sites", cmdline.Args(0, 0),
		items[estate.ProposedDraft](fixed("/api/v1/proposals")), func(w io.Writer, list []estate.ProposedDraft) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nothing is proposed.")
				return
			}
			t := r.table("ID", "BY", "BASE", "SINCE", "REASON")
			for _, p := range list {
				t.add(fmt.Sprint(p.ID), p.Author, fmt.Sprint(p.Base), ago(p.At, time.Now()), p.Reason)
			}
			t.write(w)
		})
}

// draftOtherCommand shows anybody's draft.
func draftOtherCommand(r *root) *cobra.Command {
	return ask(r, "other ID", "See anybody's draft", cmdline.Args(1, 1), get[api.Draft](named("/api/v1/drafts", "")),
		func(w io.Writer, d api.Draft) {
			fmt.Fprintf(w, "The draft %s of %s changes %s of revision %d.\n", d.Name, d.Author, words.Count(d.Total, "object"),
				d.Base)
			writeTimed(w, r, d.Draft)
			writeDiffs(w, d.Changes, d.Total)
			fmt.Fprintf(w, "\nTo work on with it: cirque draft take %d\n", d.ID)
		})
}

func draftTakeCommand(r *root) *cobra.Command {
	return ask(r, "take ID", "Make somebody's draft, proposed or not, a draft of your own", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (api.Draft, error) {
			return apiclient.Post[api.Draft](c.Context(), client, apiclient.Path("/api/v1/drafts", a[0])+"/take", nil)
		}, func(w io.Writer, d api.Draft) {
			writeDraft(w, d)
			fmt.Fprintf(w, "It is your draft %s: add --draft %s to rehearse, publish or discard it.\n", d.Name, d.Name)
		})
}

func draftDeclineCommand(r *root) *cobra.Command {
	var in api.Reason
	c := done(r, "decline ID -m REASON", "Say no to a proposed draft, which stays its owner's", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "POST", apiclient.Path("/api/v1/proposals", a[0])+"/decline", nil, in, nil)
		}, func(a []string) string { return "The proposal " + a[0] + " is declined." })
	c.Flags().StringVarP(&in.Reason, "reason", "m", "", "why, in a few words")
	formerFlag(c, "message", "reason")
	return c
}
