package cli

import (
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/endpoint"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func attachedCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "attached MACHINE", Short: "What is plugged into a machine, by USB or another line",
		Long: "What the spooler of a machine finds plugged into it, with the address by which it prints there and " +
			"its serial number, and which of the estate's devices that is. The machine looks every ten minutes, and when " +
			"it is called: cirque endpoint refresh. A serial or parallel line tells nothing of what is at its end.",
		Args: cmdline.Args(1, 1)}
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		e, err := apiclient.Get[endpoint.Judged](c.Context(), client, apiclient.Path("/api/v1/endpoints", a[0]), nil)
		if err != nil {
			return err
		}
		if e.Attached == nil {
			return endpoint.AttachedUntold(e.Report.Machine)
		}
		looked := "at a time that it does not tell"
		if e.Report.AttachedAt != nil {
			looked = ago(*e.Report.AttachedAt, time.Now())
		}
		return r.print(c, e.Attached, func(w io.Writer) {
			if len(e.Attached) == 0 {
				fmt.Fprintf(w, "Nothing is plugged into %s, as it looked %s.\n", e.Report.Machine, looked)
				return
			}
			free := false
			t := r.table("ADDRESS", "MODEL", "SERIAL", "SPEAKS", "DEVICE", "")
			for _, x := range e.Attached {
				says := x.Says
				if x.Printer != nil && !*x.Printer {
					says = "it says that it is no printer"
				}
				free = free || x.Device == "" && x.Model != ""
				t.add(x.URI, first(x.Model, "unknown"), first(x.Serial, "unknown"), first(strings.Join(x.Languages, ", "),
					"unknown"), first(x.Device, "none"), says)
			}
			t.write(w)
			fmt.Fprintf(w, "As %s looked %s.", e.Report.Machine, looked)
			if free {
				fmt.Fprintf(w, " To make a queue of it: cirque adopt --attached %s", e.Report.Machine)
			}
			fmt.Fprintln(w)
		})
	}
	return c
}
