package cli

import (
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/directory"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const notesPath = "/api/v1/notes"

// noteCommand are the commands for what people write down about a person or a machine.
func noteCommand(r *root) *cobra.Command {
	var kind string
	list := &cobra.Command{Use: "list", Short: "What is written down about people and machines", Args: cmdline.Args(0, 0)}
	find := list.Flags().String("find", "", "only with this in name or note")
	list.Flags().StringVar(&kind, "kind", "", "only about a person, or a machine")
	list.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		q := url.Values{}
		if kind != "" {
			q.Set("kind", kind)
		}
		if *find != "" {
			q.Set("find", *find)
		}
		all, err := apiclient.List[directory.WrittenNote](c.Context(), client, notesPath, q)
		if err != nil {
			return err
		}
		return r.print(c, all, func(w io.Writer) {
			if len(all) == 0 {
				fmt.Fprintln(w, "Nothing is written down. To do so: cirque note write person NAME TEXT")
				return
			}
			t := r.table("ABOUT", "NAME", "NOTE", "BY", "SINCE").main(1)
			for _, n := range all {
				t.add(n.Kind, n.Name, strings.ReplaceAll(n.Says, "\n", " "), n.Author, r.at(n.At))
			}
			t.write(w)
		})
	}
	noted := func(w io.Writer, n directory.WrittenNote) { writeNote(&r.screen, w, n) }
	show := ask(r, "show person|machine NAME", "What is written down about one", cmdline.Args(2, 2),
		func(c *cobra.Command, client *apiclient.Client, a []string) (directory.WrittenNote, error) {
			return apiclient.Get[directory.WrittenNote](c.Context(), client, notePath(a), nil)
		}, noted)
	write := ask(r, "write person|machine NAME TEXT", "Write down what there is to know about one, in place of what was "+
		"written before", cmdline.Args(3, 3),
		func(c *cobra.Command, client *apiclient.Client, a []string) (n directory.WrittenNote, err error) {
			return n, client.Do(c.Context(), "PUT", notePath(a), nil, api.WriteNote{Note: a[2]}, &n)
		}, noted)
	remove := done(r, "remove person|machine NAME", "Take the note about one away", cmdline.Args(2, 2),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "PUT", notePath(a), nil, api.WriteNote{}, nil)
		}, func(a []string) string { return "Nothing is written down about " + a[1] + " any more." })
	return cmdline.Group("note", "What people write down about a person or a machine; it decides nothing", list, show,
		write, remove)
}

func writeNote(r *screen, w io.Writer, n directory.WrittenNote) {
	if n.Says == "" {
		fmt.Fprintf(w, "Nothing is written down about %s.\n", n.Name)
		return
	}
	fmt.Fprintf(w, "%s\n(%s, %s)\n", n.Says, n.Author, r.at(n.At))
}

// notePath is where the note about a kind and name is.
func notePath(a []string) string { return apiclient.Path(notesPath+"/"+url.PathEscape(a[0]), a[1]) }
