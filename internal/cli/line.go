package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/page"
	"cirque/core/stock"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// portStates says what came of trying a port.
var portStates = map[string]string{"open": "open", "refused": "refused: the host answers, and nothing listens there",
	"silent": "silent: nothing comes back, as with a firewall in between", "not-tried": "not tried"}

// lineCommand tries the way to one of a kind.
func lineCommand(r *root, kind string) *cobra.Command {
	var set bool
	c := &cobra.Command{Use: "line " + strings.ToUpper(kind), Short: "Try the way from the service to a " + kind + ": " +
		"its name, and the ports that printing needs", Long: "Nothing is sent. From an endpoint's own place the same is " +
		"tried with cirque endpoint checkup.", Args: cmdline.Args(1, 1)}
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		of := kind
		if set {
			of = "set"
		}
		var out page.Page[stock.Line]
		if err := client.Do(c.Context(), "POST", apiclient.Path("/api/v1/stock/"+of+"s", a[0])+"/line-test", nil, nil,
			&out); err != nil {
			return err
		}
		if err := r.print(c, out.Items, func(w io.Writer) { writeLines(r, w, out.Items) }); err != nil {
			return err
		}
		if slices.ContainsFunc(out.Items, func(l stock.Line) bool { return !l.Works() }) {
			return cmdline.ErrNo
		}
		return nil
	}
	if kind == stock.KindServer {
		c.Flags().BoolVar(&set, "set", false, "what is named is a server set: try each of its members")
	}
	return c
}

func writeLines(r *root, w io.Writer, list []stock.Line) {
	for i, l := range list {
		if i > 0 {
			fmt.Fprintln(w)
		}
		switch l.Resolved {
		case "no":
			fmt.Fprintf(w, "%s: %s.\n", l.Name, l.Says)
			continue
		case "yes":
			fmt.Fprintf(w, "%s: %s is at %s.\n", l.Name, l.Host, strings.Join(l.Addresses, ", "))
		case "table":
			fmt.Fprintf(w, "%s: %s is led to a stand-in; no name was looked up.\n", l.Name, l.Host)
		default:
			fmt.Fprintf(w, "%s is at %s.\n", l.Name, l.Host)
		}
		t := r.table("PORT", "FOR", "NEEDED", "STATE")
		for _, p := range l.Ports {
			says := portStates[p.State]
			if p.Says != "" {
				says += ": " + p.Says
			}
			t.add(fmt.Sprint(p.Port), p.For, map[bool]string{true: "yes"}[p.Needed], says)
		}
		t.write(w)
	}
}
