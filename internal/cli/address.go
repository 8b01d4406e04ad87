package cli

import (
	"fmt"
	"io"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/lineup"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// addressCommand are the commands for the addresses that the estate names.
func addressCommand(r *root) *cobra.Command {
	list := &cobra.Command{Use: "list", Short: "The addresses that the estate names, by place: subnets, stations, ranges",
		Args: cmdline.Args(0, 0), Example: "  cirque address list\n  cirque address list --revision draft"}
	when := r.whenFlags(list)
	list.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		spans, err := apiclient.List[lineup.Span](c.Context(), client, "/api/v1/addresses", when())
		if err != nil {
			return err
		}
		return r.print(c, spans, func(w io.Writer) {
			if len(spans) == 0 {
				fmt.Fprintln(w, "The estate names no address.")
				return
			}
			writeSpans(r, w, spans)
		})
	}
	test := &cobra.Command{Use: "test ADDRESS...", Short: "Where an address is, what holds it, and which grants' " +
		"places do",
		Args: cmdline.Args(1, -1), Example: "  cirque address test 10.40.8.77\n  cirque address test 10.40.8.77 " +
			"--revision draft"}
	at := r.whenFlags(test)
	test.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		out := []lineup.AddressTold{}
		for _, address := range a {
			told, err := apiclient.Get[lineup.AddressTold](c.Context(), client,
				"/api/v1/addresses/"+url.PathEscape(address), at())
			if err != nil {
				return err
			}
			out = append(out, told)
		}
		return r.print(c, out, func(w io.Writer) {
			for i, t := range out {
				if i > 0 {
					fmt.Fprintln(w)
				}
				if t.Location == "" {
					fmt.Fprintf(w, "Where %s is, is not known: no subnet of the estate holds it, and no station has it.\n", t.Address)
				} else {
					fmt.Fprintf(w, "%s is at %s (%s).\n", t.Address, t.Location, t.From)
				}
				if t.Machine != "" {
					fmt.Fprintf(w, "It is the station %s.\n", t.Machine)
				}
				fmt.Fprintf(w, "Grants whose places hold there: %s.\n", first(strings.Join(t.Grants, ", "), "none"))
				if len(t.Spans) > 0 {
					writeSpans(r, w, t.Spans)
				}
			}
		})
	}
	return cmdline.Group("address", "The addresses that the estate names, and what is known of one", list, test)
}

func writeSpans(r *root, w io.Writer, spans []lineup.Span) {
	t := r.table("ADDRESSES", "KIND", "LOCATION", "WITHIN", "GRANTS")
	for _, s := range spans {
		kind := s.Kind
		if s.Name != "" {
			kind += " " + s.Name
		}
		t.add(s.Written, kind, first(s.Location, "-"), first(s.Within, "-"), strings.Join(s.Grants, ", "))
	}
	t.write(w)
}
