package cli

import (
	"context"
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/estate"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func historyCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "history [LIST NAME]", Short: "List revisions, newest first; of one object, what each " +
		"did to it", Args: cmdline.Args(0, 2),
		RunE: func(c *cobra.Command, a []string) error {
			if len(a) == 1 {
				return usagef("say which object, such as: cirque history queue hall-mono")
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			if len(a) == 2 {
				of, err := refs(a)
				if err != nil {
					return err
				}
				list, err := past(c.Context(), client, of[0])
				if err != nil {
					return err
				}
				return r.print(c, list, func(w io.Writer) { writePast(&r.screen, w, of[0], list) })
			}
			list, err := apiclient.List[estate.Revision](c.Context(), client, "/api/v1/revisions", nil)
			if err != nil {
				return err
			}
			return r.print(c, list, func(w io.Writer) {
				t := r.table("REVISION", "PUBLISHED", "BY", "REASON")
				for _, v := range list {
					t.add(fmt.Sprint(v.Number), r.at(v.At), v.Author, v.Reason)
				}
				t.write(w)
			})
		}}
}

// past is what revisions did to an object, newest first.
func past(ctx context.Context, client *apiclient.Client, of estate.Ref) ([]estate.Past, error) {
	return apiclient.List[estate.Past](ctx, client, "/api/v1/estate/past", url.Values{"list": {of.List},
		"object": {of.Name}})
}

func writePast(r *screen, w io.Writer, of estate.Ref, list []estate.Past) {
	if len(list) == 0 {
		fmt.Fprintf(w, "None of the latest 200 revisions changed the %s.\n", of)
		return
	}
	t := r.table("REVISION", "PUBLISHED", "BY", "DID", "REASON")
	for _, p := range list {
		did := p.Kind
		if p.Kind == "changed" {
			did += " " + strings.Join(p.Keys, ", ")
		}
		t.add(fmt.Sprint(p.Revision.Number), r.at(p.Revision.At), p.Revision.Author, did, p.Revision.Reason)
	}
	t.write(w)
}
