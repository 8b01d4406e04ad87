package cli

import (
	"fmt"
	"io"
	"net/url"

	"github.com/spf13/cobra"

	"cirque/core/advert"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// directoryPrintersCommand looks for printer entries, and takes out those whose queue is gone.
func directoryPrintersCommand(r *root) *cobra.Command {
	var source, place string
	var colour, sides, gone, remove bool
	c := &cobra.Command{Use: "printers [WORD...]", Short: "Printer entries in the directories, whoever wrote them, and " +
		"where they lead", Args: cmdline.Args(0, 10),
		Long: `Look for printer entries (RFC 7612) in the directories that are read, by words of the name, the
description, the location or the model, as people's own programs do, and say of each what is known of
where it leads: it is Cirque's own, it leads to a queue or device that was read, its server was read
and has no such queue any more (gone), or nobody has read what it leads to (unknown).

With --gone only those whose queue is gone are listed; with --remove these are taken out.`}
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		q := url.Values{"word": a}
		for key, v := range map[string]string{"source": source, "place": place} {
			if v != "" {
				q.Set(key, v)
			}
		}
		for key, is := range map[string]bool{"colour": colour, "two_sided": sides} {
			if is {
				q.Set(key, "true")
			}
		}
		all, err := apiclient.List[advert.Found](c.Context(), client, "/api/v1/directory/printers", q)
		if err != nil {
			return err
		}
		list := []advert.Found{}
		for _, f := range all {
			if f.State == advert.Gone || !gone && !remove {
				list = append(list, f)
			}
		}
		if remove {
			for _, f := range list {
				if err := client.Do(c.Context(), "DELETE", "/api/v1/directory/printers", url.Values{"source": {f.Source},
					"dn": {f.DN}}, nil, nil); err != nil {
					return err
				}
			}
		}
		return r.print(c, list, func(w io.Writer) {
			t := r.table("PRINTER", "LOCATION", "MODEL", "ENTRY", "WHERE IT LEADS", "IN")
			for _, f := range list {
				t.add(f.Name, f.Location, f.Model, string(f.State), f.Says, f.Source)
			}
			t.write(w)
			says := "%s of %d.\n"
			if remove {
				says = "%s of %d taken out.\n"
			}
			fmt.Fprintf(w, says, words.Count(len(list), "entry", "entries"), len(all))
		})
	}
	c.Flags().StringVar(&source, "source", "", "only in this directory")
	c.Flags().StringVar(&place, "place", "", "only with this in the location")
	c.Flags().BoolVar(&colour, "colour", false, "only those that print colour")
	c.Flags().BoolVar(&sides, "two-sided", false, "only those that print on both sides")
	c.Flags().BoolVar(&gone, "gone", false, "only those whose queue is gone")
	c.Flags().BoolVar(&remove, "remove", false, "take those out whose queue is gone")
	return c
}
