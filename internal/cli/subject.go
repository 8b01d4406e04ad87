package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func subjectCommand(r *root, word, path string) *cobra.Command {
	return &cobra.Command{Use: word + " NAME", Short: "Everything about one " + word + ": groups, grants direct and " +
		"inherited, endpoints", Args: cmdline.Args(1, 1),
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			s, err := apiclient.Get[endpoint.Subject](c.Context(), client, apiclient.Path("/api/v1/"+path, a[0]), nil)
			if err != nil {
				return err
			}
			note, err := apiclient.Get[directory.WrittenNote](c.Context(), client, notePath([]string{word, a[0]}), nil)
			if err != nil {
				return err
			}
			return r.print(c, struct {
				endpoint.Subject
				Note directory.WrittenNote `json:"note"`
			}{s, note}, func(w io.Writer) {
				r.writeSubject(w, s)
				if note.Says != "" {
					fmt.Fprintln(w, "\nWritten down:")
					writeNote(&r.screen, w, note)
				}
			})
		}}
}

func (r *screen) writeSubject(w io.Writer, s endpoint.Subject) {
	var about []string
	add := func(word, v string) {
		if v != "" {
			about = append(about, strings.TrimSpace(word+" "+v))
		}
	}
	switch {
	case s.User != nil:
		add("", s.User.DisplayName)
		add("", s.User.Email)
		add("unit", s.User.Unit)
	case s.Machine != nil:
		add("", s.Machine.Platform)
		add("unit", s.Machine.Unit)
		add("at", s.Machine.Location)
	case s.Station != nil:
		add("station", s.Station.Title)
		add("at", s.Station.Location)
	default:
		about = append(about, "unknown to the directory")
	}
	fmt.Fprintf(w, "%s: %s.\n", s.Name, strings.Join(about, ", "))
	if len(s.Names) > 0 {
		fmt.Fprintln(w, "\nOne person under these names:")
		t := r.table("  NAME", "FROM", "BECAUSE", "UNIT")
		for _, n := range s.Names {
			from := n.Source
			if from == "" {
				from = "no directory"
			}
			t.add("  "+n.Name, from, because(n), n.Unit)
		}
		t.write(w)
	}
	fmt.Fprintln(w, "\nIn groups:")
	if len(s.Groups) == 0 {
		fmt.Fprintln(w, "  none")
	}
	for _, g := range s.Groups {
		if g.Direct {
			fmt.Fprintf(w, "  %s\n", g.Group)
		} else {
			fmt.Fprintf(w, "  %s, through %s\n", g.Group, strings.Join(g.Through, ", then "))
		}
	}
	for _, direct := range []bool{true, false} {
		title := map[bool]string{true: "\nNamed directly by grants:", false: "\nInherits grants:"}[direct]
		fmt.Fprintln(w, title)
		t := r.table("  GRANT", "EFFECT", "BY", "QUEUES", "IF ALSO")
		for _, h := range s.Holdings {
			if h.Direct == direct {
				t.add("  "+h.Grant, string(h.Effect), h.Origin, strings.Join(h.Queues, ", "), strings.Join(h.Further, ", "))
			}
		}
		if len(t.rows) == 0 {
			fmt.Fprintln(w, "  none")
			continue
		}
		t.write(w)
	}
	fmt.Fprintln(w, "\nOn endpoints:")
	if len(s.Endpoints) == 0 {
		fmt.Fprintln(w, "  none has reported one")
	}
	for _, e := range s.Endpoints {
		fmt.Fprintf(w, "  %s (%s), %s session of %s: %s\n", e.Endpoint, e.State, or(e.Context.Session, "desktop"),
			or(e.Context.User, "nobody"), strings.Join(e.Queues, ", "))
	}
}
