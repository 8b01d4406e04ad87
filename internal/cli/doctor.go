package cli

import (
	"fmt"
	"io"
	"slices"

	"github.com/spf13/cobra"

	"cirque/core/endpoint"
	"cirque/internal/cmdline"
)

func doctorCommand(r *root) *cobra.Command {
	var o ServeOptions
	c := &cobra.Command{Use: "doctor --data DIR | --config FILE", Short: "Check what the service needs where it runs or " +
		"is to run, and say how to mend it", Args: cmdline.Args(0, 0),
		Long: `Check what the service needs where it runs or is to run: its data directory and disk, PostgreSQL, the
database and whether it fits this version, the port, the certificate, its keys. It needs neither the
service nor a sign-in, and changes nothing. Run it as the account that runs the service, with the
settings that it has. Of a service that answers, cirque ready tells how it does.

Where a check says no, so does its exit code.`,
		RunE: func(c *cobra.Command, _ []string) error {
			if o.Data == "" {
				return usagef("--data is missing: the data directory, or a settings file that names it with --config")
			}
			list := r.local.Examine(c.Context(), o)
			if err := r.print(c, list, func(w io.Writer) {
				for _, v := range list {
					writeCheck(w, "", v)
				}
			}); err != nil {
				return err
			}
			if slices.ContainsFunc(list, func(v endpoint.Check) bool { return v.Result == endpoint.No }) {
				fmt.Fprintln(c.ErrOrStderr(), "Something is wrong; the first check that says no is where to begin.")
				return cmdline.ErrNo
			}
			return nil
		}}
	settingsOf(c, &o)
	return c
}
