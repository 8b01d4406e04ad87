package cli

import (
	"fmt"
	"io"
	"net/url"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// draftFlag names one of one's own drafts.
func draftFlag(c *cobra.Command) func() url.Values {
	called := c.Flags().String("draft", "", "another of your drafts than main")
	return func() url.Values {
		if *called == "" {
			return nil
		}
		return url.Values{"name": {*called}}
	}
}

func draftCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "draft", Short: "See your draft: what is decided and not yet published",
		Args: cmdline.Args(0, 0)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		d, err := apiclient.Get[api.Draft](c.Context(), client, "/api/v1/draft", name())
		if err != nil {
			return err
		}
		return r.print(c, d, func(w io.Writer) {
			writeDraft(w, d)
			writeTimed(w, r, d.Draft)
		})
	}
	any := objectsOf{r: r}
	c.AddCommand(any.edits()...)
	c.AddCommand(draftListCommand(r), draftOtherCommand(r), draftExportCommand(r), draftDiscardCommand(r),
		draftUndoCommand(r), draftProposeCommand(r), draftProposalsCommand(r), draftTakeCommand(r), draftDeclineCommand(r),
		draftEndedCommand(r), draftCommentCommand(r), draftCommentsCommand(r))
	return c
}

func writeDraft(w io.Writer, d api.Draft) {
	if d.Total == 0 {
		fmt.Fprintf(w, "The draft %s is empty. Fill it with cirque estate apply FILE, or in the console.\n", d.Name)
		return
	}
	fmt.Fprintf(w, "The draft %s of %s changes %s of revision %d.\n", d.Name, d.Author, words.Count(d.Total,
		"object"), d.Base)
	if d.Base != d.Current {
		fmt.Fprintf(w, "Revision %d is current by now; publishing merges.\n", d.Current)
	}
	if d.ProposedAt != nil {
		fmt.Fprintf(w, "It is proposed: %s. Changing it takes that back.\n", d.ProposedWhy)
	}
	writeDiffs(w, d.Changes, d.Total)
	if len(d.Conflicts) == 0 {
		fmt.Fprintln(w, "\nSee its effect with cirque rehearse; make it current with cirque publish -m REASON.")
		return
	}
	fmt.Fprintf(w, "\nIt cannot be published as it is, because of %s:\n", words.Count(len(d.Conflicts), "conflict"))
	for _, k := range d.Conflicts {
		fmt.Fprintf(w, "  %s\n", k.Says)
		for i, diff := range []*estate.Diff{k.Mine, k.Theirs} {
			if diff != nil {
				fmt.Fprintf(w, "    %s:\n", []string{"yours", "theirs"}[i])
				writeFields(w, "      ", *diff)
			}
		}
	}
	fmt.Fprintln(w, "\nPut an object back with cirque draft undo, or change it again on top of theirs.")
}

// writeDiffs says what becomes of each object, the unchanged keys left out.
func writeDiffs(w io.Writer, list []estate.Diff, total int) {
	for _, d := range list {
		fmt.Fprintf(w, "\n%s %s\n", map[string]string{"added": "+", "changed": "~", "removed": "-"}[d.Kind], d.Ref)
		if d.Kind != "removed" {
			writeFields(w, "    ", d)
		}
	}
	if total > len(list) {
		fmt.Fprintf(w, "\n%d more objects are not listed.\n", total-len(list))
	}
}

func writeFields(w io.Writer, indent string, d estate.Diff) {
	if d.Kind == "removed" {
		fmt.Fprintf(w, "%staken out\n", indent)
	}
	for _, f := range d.Fields {
		switch {
		case d.Kind == "removed", d.Kind == "added" && f.Key == "name":
		case len(f.Gains)+len(f.Loses) > 0:
			var parts []string
			for _, g := range f.Gains {
				parts = append(parts, "+"+g)
			}
			for _, l := range f.Loses {
				parts = append(parts, "-"+l)
			}
			fmt.Fprintf(w, "%s%s: %s\n", indent, f.Key, strings.Join(parts, "  "))
		case f.Before == "":
			fmt.Fprintf(w, "%s%s: %s\n", indent, f.Key, f.After)
		case f.After == "":
			fmt.Fprintf(w, "%s%s: no longer %s\n", indent, f.Key, f.Before)
		default:
			fmt.Fprintf(w, "%s%s: %s -> %s\n", indent, f.Key, f.Before, f.After)
		}
	}
}

func draftListCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List everybody's drafts", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			list, err := apiclient.List[estate.Draft](c.Context(), client, "/api/v1/drafts", nil)
			if err != nil {
				return err
			}
			return r.print(c, list, func(w io.Writer) {
				if len(list) == 0 {
					fmt.Fprintln(w, "Nobody has a draft.")
					return
				}
				t := r.table("ID", "DRAFT", "OF", "BASE", "CHANGED", "PROPOSED", "PUBLISHED AT").main(1)
				for _, d := range list {
					proposed := ""
					if d.ProposedAt != nil {
						proposed = d.ProposedWhy
					}
					t.add(fmt.Sprint(d.ID), d.Name, d.Author, fmt.Sprint(d.Base), r.at(d.ChangedAt), proposed, r.at(d.Timed.At))
				}
				t.write(w)
			})
		}}
}

func draftExportCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "export", Short: "Write what the draft adds and changes as a file for cirque estate " +
		"apply --merge", Args: cmdline.Args(0, 0),
		Long: `Write the objects that the draft adds and changes as a document, so that what was done by hand can
be done again, elsewhere or by a program, with cirque estate apply --merge. What it takes out stands
in comments, as commands.`}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		d, err := apiclient.Get[api.Draft](c.Context(), client, "/api/v1/draft", name())
		if err != nil {
			return err
		}
		var list []estate.Drafted
		for _, k := range d.Changes {
			if k.Kind == "removed" {
				if r.output == cmdline.Table {
					fmt.Fprintf(c.OutOrStdout(), "# cirque draft remove %s %s\n", k.List, k.Name)
				}
				continue
			}
			list = append(list, estate.Drafted{Ref: k.Ref, Object: k.After})
		}
		doc, err := asEstate(list)
		if err != nil {
			return err
		}
		if r.output == "json" {
			return r.print(c, doc, nil)
		}
		text, err := doc.YAML()
		if err != nil {
			return err
		}
		_, err = c.OutOrStdout().Write(text)
		return err
	}
	return c
}

func draftDiscardCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "discard", Short: "Throw the draft away", Args: cmdline.Args(0, 0)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		if err := client.Do(c.Context(), "DELETE", "/api/v1/draft", name(), nil, nil); err != nil {
			return err
		}
		return r.say(c, nil, "The draft is empty.")
	}
	return c
}

// edit sends edits and says what the draft comes to.
func (r *root) edit(c *cobra.Command, query url.Values, edits []estate.Edit) error {
	client, err := r.client()
	if err != nil {
		return err
	}
	var d api.Draft
	if err := client.Do(c.Context(), "POST", "/api/v1/draft/edits", query, api.Edits{Edits: edits}, &d); err != nil {
		return err
	}
	return r.print(c, d, func(w io.Writer) { writeDraft(w, d) })
}

// refs reads LIST NAME...; a list may be written as one word for one object.
func refs(a []string) ([]estate.Ref, error) {
	list := a[0]
	for _, l := range estate.Lists() {
		if estate.Word(l) == strings.ReplaceAll(list, "_", " ") {
			list = l
		}
	}
	var out []estate.Ref
	for _, n := range a[1:] {
		out = append(out, estate.Ref{List: list, Name: n})
	}
	if list == a[0] && !slices.Contains(estate.Lists(), list) {
		return nil, fault.New(fault.Invalid, "list-unknown", "write one of "+strings.Join(estate.Lists(), ", "),
			"the estate has no list %q", list)
	}
	return out, nil
}

func draftUndoCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "undo LIST NAME...", Short: "Put objects back as the draft's base has them",
		Args: cmdline.Args(2, -1)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		list, err := refs(a)
		if err != nil {
			return err
		}
		var edits []estate.Edit
		for _, ref := range list {
			edits = append(edits, estate.Edit{Ref: ref, Undo: true})
		}
		return r.edit(c, name(), edits)
	}
	return c
}
