package agentcli

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"cirque/core/words"
	"cirque/internal/agent"
	"cirque/internal/cmdline"
)

func capture(p *printer) *cobra.Command {
	var to reach
	var spooler, machine string
	var queues []string
	var asJSON bool
	c := &cobra.Command{Use: "capture", Short: "Read this machine's queues, drivers and defaults, and offer " +
		"them for adoption", Args: cmdline.Args(0, 0),
		Long: `Read the queues that people set up on this machine, with their drivers and defaults. Without
--service they are only shown, so that you can choose with --queue; with it they are handed in, and
an administrator takes them into the estate: cirque adopt --machine NAME. What Cirque itself
installed here is left out. Nothing on the machine is changed.`,
		RunE: func(c *cobra.Command, _ []string) error {
			read, err := agent.ReadCapture(c.Context(), spooler)
			if err != nil {
				return err
			}
			if read.Queues, err = agent.Choose(read.Queues, queues); err != nil {
				return err
			}
			read.Machine = cmp.Or(machine, read.Machine)
			if asJSON {
				p.form = cmdline.JSON
			}
			if to.service == "" && p.form != cmdline.Table {
				return p.print(c, read)
			}
			if to.service == "" {
				w := tabwriter.NewWriter(c.OutOrStdout(), 0, 0, 2, ' ', 0)
				fmt.Fprintln(w, "QUEUE\tTITLE\tDRIVER\tDEVICE\tDEFAULTS")
				for _, q := range read.Queues {
					fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\n", q.Name, q.Title, cmp.Or(q.Model, "driverless"), q.Device, told(q.Defaults))
				}
				fmt.Fprintf(w, "%s of %s. Nothing was handed in; name the service with --service and --token-file.\n",
					words.Count(len(read.Queues), "queue"), read.Machine)
				return w.Flush()
			}
			token, ca, err := to.read(c.InOrStdin())
			if err != nil {
				return err
			}
			if err := agent.SendCapture(c.Context(), to.service, token, ca, read); err != nil {
				return err
			}
			return p.say(c, "%s of %s handed in. An administrator takes them into the estate: cirque adopt --machine %s "+
				"--dry-run",
				words.Count(len(read.Queues), "queue"), read.Machine, read.Machine)
		}}
	to.flags(c)
	f := c.Flags()
	f.StringVar(&spooler, "spooler", agent.OwnSpooler, "system for the machine's own, standin:DIR, or the URI of a "+
		"Unix spooler, such as ipp://localhost:631/")
	f.StringVar(&machine, "machine", "", "the machine's name; its own when absent")
	f.StringSliceVar(&queues, "queue", nil, "only this queue; may be repeated")
	f.BoolVar(&asJSON, "json", false, "as -o json")
	_ = f.MarkHidden("json") // it was the way of the version before
	return c
}

// told are the defaults of a queue, option=value.
func told(defaults map[string]any) string {
	var out []string
	for _, k := range slices.Sorted(maps.Keys(defaults)) {
		out = append(out, fmt.Sprintf("%s=%v", k, defaults[k]))
	}
	return strings.Join(out, " ")
}
