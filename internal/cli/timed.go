package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// publishWaitingCommand lists drafts that wait for their moment, and those that could not be published at theirs.
func publishWaitingCommand(r *root) *cobra.Command {
	return ask(r, "waiting", "Drafts that are published at a time, and those that could not be", cmdline.Args(0, 0),
		func(c *cobra.Command, client *apiclient.Client, _ []string) ([]estate.Draft, error) {
			list, err := apiclient.List[estate.Draft](c.Context(), client, "/api/v1/drafts", nil)
			return slices.DeleteFunc(list, func(d estate.Draft) bool { return d.Timed.At == nil && d.Timed.Failed == "" }), err
		}, func(w io.Writer, list []estate.Draft) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nothing waits to be published.")
				return
			}
			t := r.table("ID", "DRAFT", "OF", "PUBLISHED AT", "REASON").main(1)
			for _, d := range list {
				when, why := r.at(d.Timed.At), d.Timed.Why
				if d.Timed.At == nil {
					when, why = "failed", d.Timed.Failed
				}
				t.add(fmt.Sprint(d.ID), d.Name, d.Author, when, why)
			}
			t.write(w)
			fmt.Fprintln(w, "\nSee one with cirque draft other ID; take one back with cirque publish cancel ID.")
		})
}

func publishCancelCommand(r *root) *cobra.Command {
	return ask(r, "cancel [ID]", "Have a draft that waits for its time be an ordinary one again", cmdline.Args(0, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (d api.Draft, err error) {
			which, err := waitingDraft(c, client, a)
			if err != nil {
				return d, err
			}
			return d, client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/drafts", which)+"/publish-at", nil, nil, &d)
		}, func(w io.Writer, d api.Draft) {
			fmt.Fprintf(w, "It is not published at its time. It is the draft %s of %s, with %s.\n", d.Name, d.Author,
				words.Count(d.Total, "change"))
		})
}

// waitingDraft gives the number of a draft that waits, by its number or name; the only one where none is said.
func waitingDraft(c *cobra.Command, client *apiclient.Client, a []string) (string, error) {
	list, err := apiclient.List[estate.Draft](c.Context(), client, "/api/v1/drafts", nil)
	list = slices.DeleteFunc(list, func(d estate.Draft) bool { return d.Timed.At == nil })
	switch {
	case err != nil:
		return "", err
	case len(a) == 0 && len(list) == 1:
		return fmt.Sprint(list[0].ID), nil
	case len(a) == 0 && len(list) == 0:
		return "", fault.New(fault.Unknown, "draft-not-timed", "see cirque draft list", "nothing waits to be published")
	case len(a) == 0:
		return "", usagef("%s wait to be published: say which, by its ID; see cirque publish waiting", words.Count(len(list),
			"draft"))
	}
	for _, d := range list {
		if d.Name == a[0] {
			return fmt.Sprint(d.ID), nil
		}
	}
	return a[0], nil
}

// writeTimed says of a draft when it is published, or why it was not.
func writeTimed(w io.Writer, r *root, d estate.Draft) {
	switch {
	case d.Timed.At != nil:
		fmt.Fprintf(w, "It is published at %s: %s. Until then it cannot be edited; to take it back: cirque publish cancel "+
			"%d\n", r.at(d.Timed.At), d.Timed.Why, d.ID)
	case d.Timed.Failed != "":
		fmt.Fprintf(w, "It could not be published at its time: %s.\n", strings.TrimSuffix(d.Timed.Failed, "."))
	}
}

func draftCommentCommand(r *root) *cobra.Command {
	var in api.Comment
	var about string
	var id int64
	c := &cobra.Command{Use: "comment TEXT", Short: "Say something of a draft, for whoever works on it or decides on it",
		Args: cmdline.Args(1, 1),
		Long: `Say something of your draft, or with --id of anybody's (cirque draft list has the numbers): a question, a
doubt, that it was looked at. It stands beside the draft, and stays with what is published of it.`}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		if in.Says = a[0]; about != "" {
			list, name, ok := strings.Cut(about, "/")
			if !ok {
				return usagef("--about wants LIST/NAME, such as queue/hall-mono")
			}
			of, err := refs([]string{list, name})
			if err != nil {
				return err
			}
			in.List, in.Object = of[0].List, of[0].Name
		}
		if id == 0 {
			d, err := apiclient.Get[api.Draft](c.Context(), client, "/api/v1/draft", name())
			if err != nil {
				return err
			}
			if id = d.ID; id == 0 {
				return fault.New(fault.Conflict, "draft-empty", "say of whose draft: --id, from cirque draft list",
					"your draft %s "+
						"is empty, so there is nothing to say of it", d.Name)
			}
		}
		said, err := apiclient.Post[estate.Comment](c.Context(), client, apiclient.Path("/api/v1/drafts", fmt.Sprint(id))+
			"/comments", in)
		if err != nil {
			return err
		}
		return r.print(c, said, func(w io.Writer) { fmt.Fprintln(w, "It is said: cirque draft comments shows all.") })
	}
	c.Flags().Int64Var(&id, "id", 0, "another draft than yours, by its number")
	c.Flags().StringVar(&about, "about", "", "one object that it changes, as LIST/NAME")
	return c
}

func draftCommentsCommand(r *root) *cobra.Command {
	var id int64
	var revision int
	c := &cobra.Command{Use: "comments", Short: "What was said of a draft, or of what was published",
		Args: cmdline.Args(0, 0)}
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		if said := len(name()); id != 0 && (revision != 0 || said > 0) || revision != 0 && said > 0 {
			return usagef("say one of --id, --revision and --draft")
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		if id == 0 && revision == 0 {
			d, err := apiclient.Get[api.Draft](c.Context(), client, "/api/v1/draft", name())
			if err != nil {
				return err
			}
			id = d.ID
		}
		list := []estate.Comment{}
		switch {
		case revision != 0:
			list, err = apiclient.List[estate.Comment](c.Context(), client, fmt.Sprintf("/api/v1/revisions/%d/comments",
				revision), nil)
		case id != 0: // else one's own is empty
			list, err = apiclient.List[estate.Comment](c.Context(), client, fmt.Sprintf("/api/v1/drafts/%d/comments", id), nil)
		}
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) { writeComments(w, list) })
	}
	c.Flags().Int64Var(&id, "id", 0, "another draft than yours, by its number")
	c.Flags().IntVar(&revision, "revision", 0, "what was said of the draft that a revision was published from")
	return c
}

func writeComments(w io.Writer, list []estate.Comment) {
	if len(list) == 0 {
		fmt.Fprintln(w, "Nothing was said.")
	}
	for _, c := range list {
		about := ""
		if c.List != "" {
			about = ", of " + (estate.Ref{List: c.List, Name: c.Object}).String()
		}
		fmt.Fprintf(w, "%s, %s%s: %s\n", c.Author, ago(c.At, time.Now()), about, c.Says)
	}
}
