package cli

import (
	"encoding/json"
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
		Args: args(cobra.NoArgs)}
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
		return r.print(c, d, func(w io.Writer) { writeDraft(w, d) })
	}
	c.AddCommand(draftListCommand(r), draftExportCommand(r), draftDiscardCommand(r), draftUndoCommand(r),
		draftRemoveCommand(r), draftProposeCommand(r), draftProposalsCommand(r), draftTakeCommand(r), draftDeclineCommand(r))
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
	return &cobra.Command{Use: "list", Short: "List everybody's drafts", Args: args(cobra.NoArgs),
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
				t := r.table("DRAFT", "OF", "BASE", "CHANGED")
				for _, d := range list {
					t.add(d.Name, d.Author, fmt.Sprint(d.Base), d.ChangedAt.Local().Format("2006-01-02 15:04:05"))
				}
				t.write(w)
			})
		}}
}

func draftExportCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "export", Short: "Write what the draft adds and changes as a file for cirque estate " +
		"apply --merge", Args: args(cobra.NoArgs),
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
		lists := map[string]any{"estate": estate.Version}
		for _, k := range d.Changes {
			if k.Kind == "removed" {
				fmt.Fprintf(c.OutOrStdout(), "# cirque draft remove %s %s\n", k.List, k.Name)
				continue
			}
			objects, _ := lists[k.List].([]json.RawMessage)
			lists[k.List] = append(objects, k.After)
		}
		b, err := json.Marshal(lists)
		if err != nil {
			return err
		}
		var doc estate.Document
		if err := json.Unmarshal(b, &doc); err != nil {
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
	c := &cobra.Command{Use: "discard", Short: "Throw the draft away", Args: args(cobra.NoArgs)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		if err := client.Do(c.Context(), "DELETE", "/api/v1/draft", name(), nil, nil); err != nil {
			return err
		}
		fmt.Fprintln(c.OutOrStdout(), "The draft is empty.")
		return nil
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
	return draftEditCommand(r, "undo", "Put objects back as the draft's base has them", "",
		func(ref estate.Ref) estate.Edit {
			return estate.Edit{Ref: ref, Undo: true}
		})
}

func draftRemoveCommand(r *root) *cobra.Command {
	return draftEditCommand(r, "remove", "Take objects out, in the draft",
		"  cirque draft remove grants old-hall\n  cirque "+
			"draft remove queue hall-mono hall-colour",
		func(ref estate.Ref) estate.Edit { return estate.Edit{Ref: ref, Remove: true} })
}

// draftEditCommand makes a command that does the same to each object that is named.
func draftEditCommand(r *root, word, short, example string, edit func(estate.Ref) estate.Edit) *cobra.Command {
	c := &cobra.Command{Use: word + " LIST NAME...", Short: short, Example: example, Args: args(cobra.MinimumNArgs(2))}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		list, err := refs(a)
		if err != nil {
			return err
		}
		var edits []estate.Edit
		for _, ref := range list {
			edits = append(edits, edit(ref))
		}
		return r.edit(c, name(), edits)
	}
	return c
}

func publishCommand(r *root) *cobra.Command {
	var reason string
	var yes bool
	c := &cobra.Command{Use: "publish", Short: "Make your draft the current revision", Args: args(cobra.NoArgs),
		Long: `Make your draft the current revision. What has been published since the draft began is kept: objects
that only one side changed are merged; what both changed in different ways is refused, with both
sides shown. What there is to remark on then, and is not so now, is shown; a person at a terminal is
asked whether to go on.`, Example: "  cirque publish -m \"the new hall\""}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		if err := askOfFindings(c, client, name().Get("name"), yes); err != nil {
			return err
		}
		var p api.Published
		if err := client.Do(c.Context(), "POST", "/api/v1/draft/publish", name(), api.PublishDraft{Reason: reason},
			&p); err != nil {
			return err
		}
		return r.print(c, p, func(w io.Writer) { fmt.Fprintf(w, "Revision %d is published.\n", p.Revision.Number) })
	}
	c.Flags().StringVarP(&reason, "reason", "m", "", "why, in a few words")
	c.Flags().BoolVar(&yes, "yes", false, "do not ask, whatever there is to remark on")
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
	var dry, yes bool
	c := &cobra.Command{Use: "revert NUMBER", Short: "Make a former revision current again, as a new one",
		Args: args(cobra.ExactArgs(1)), RunE: func(c *cobra.Command, a []string) error {
			number, err := revisionNumber(a[0])
			if err != nil {
				return err
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			k, err := apiclient.Post[api.Checked](c.Context(), client, "/api/v1/estate/check", api.CheckEstate{Revision: number,
				Brief: !dry})
			if err != nil {
				return err
			}
			if dry {
				return r.print(c, k, func(w io.Writer) { writeChecked(r, w, k) })
			}
			if err := confirmTakes(c, k.Takes, yes); err != nil {
				return err
			}
			p, err := apiclient.Post[api.Published](c.Context(), client, fmt.Sprintf("/api/v1/revisions/%d/revert", number),
				api.Reason{Reason: reason})
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
	return c
}

func revisionNumber(s string) (n int, err error) {
	if _, err := fmt.Sscanf(s+"\n", "%d\n", &n); err != nil || n < 1 {
		return 0, usageError{fmt.Errorf("%q is no number of a revision", s)}
	}
	return n, nil
}

func diffCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "diff FROM [TO]", Short: "What differs between two revisions; TO is the current one " +
		"when absent", Args: args(cobra.RangeArgs(1, 2)), RunE: func(c *cobra.Command, a []string) error {
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
