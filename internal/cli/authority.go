package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/internal/cmdline"
)

// authorityCommand is about the certificate authority that lies beside the data.
func authorityCommand(r *root) *cobra.Command {
	var o ServeOptions
	force := false
	one := func(use, short, long, do, says string) *cobra.Command {
		c := &cobra.Command{Use: use, Short: short, Long: long, Args: cmdline.Args(0, 0),
			RunE: func(c *cobra.Command, _ []string) error {
				if o.Data == "" {
					return usagef("say where the data is, with --data")
				}
				list, err := r.local.Authority(c.Context(), o, do, force)
				if f := fault.As(err); f != nil && (f.Code != "not-heard" || len(list) == 0) {
					return err
				}
				return r.print(c, list, func(w io.Writer) {
					t := r.table("AUTHORITY", "STATE", "UNTIL", "MACHINES", "SUCH AS")
					for _, a := range list {
						t.add(a.Fingerprint[:16], a.State, r.zone().Day(a.Until), fmt.Sprint(a.Machines),
							strings.Join(a.Some, ", "))
					}
					t.write(w)
					if says != "" {
						fmt.Fprintln(w, says)
					}
				})
			}}
		besideFlags(c, &o)
		return c
	}
	list := one("list --data DIR", "The authorities that lie beside the data, and which machines have certificates "+
		"of each",
		"List the authorities that lie beside the data, and how many machines have certificates of each.", "", "")
	prepare := one("prepare --data DIR", "Make the authority that comes next",
		`Make the authority that comes next. The service `+
			`trusts it within seconds, and tells enrolled machines; each
renews its certificate over the next minutes, is certified by the next authority, and knows the service
by both from then on. Where several services run on one database, copy the directory ca to all of
them. Hand DIR/ca/next.pem to those who trust DIR/ca/ca.pem by hand: people, agents with tokens.`, "prepare",
		"Machines take it as they ask. Look with: cirque authority list --data DIR")
	swap := one("switch --data DIR", "Go on with the next authority, while the service runs",
		`Go on with the next authority: the `+
			`service shows a certificate of it within seconds. The former one is
trusted still, for machines that have certificates of it, and its key is gone. It is refused while machines
have not taken the next one: they would not know the service any more. Enrolment tokens that were
made before are made anew.`, "switch", "The service is known by it from now on.")
	forget := one("forget --data DIR", "Let go of the former authority",
		`Let go of the former authority: certificates of it are `+
			`not good any more. It is refused while machines have some.`, "forget", "It is forgotten.")
	for _, c := range []*cobra.Command{swap, forget} {
		c.Flags().BoolVar(&force, "force", false, "also where machines are left behind, which are enrolled again then")
	}
	return cmdline.Group("authority", "The certificate authority beside the data", list, prepare, swap, forget)
}
