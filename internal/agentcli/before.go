package agentcli

import (
	"cmp"
	"context"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/internal/agent"
	"cirque/internal/cmdline"
)

// plan says what run would do.
func plan(p *printer, version string) *cobra.Command {
	var spooler, state string
	var serve, agree bool
	c := &cobra.Command{Use: "plan [--agree]", Short: "Say what the agent would add, change, remove and leave here, " +
		"and touch nothing", Args: cmdline.Args(0, 0),
		Long: `Say what the agent would add, change, remove and leave here, whose printing goes elsewhere by it, and what
would be there twice; touch nothing.

Where agent.yaml has "consent: asked", the agent does nothing of it before somebody has agreed, with
--agree, to what is printed. Once it has queues here, it keeps them as they are to be without asking.`,
		RunE: func(c *cobra.Command, _ []string) error {
			if serve {
				o, err := agent.OpenServer(spooler)
				if err != nil {
					return err
				}
				if agree {
					return &cmdline.Usage{What: "--agree is for endpoints; a print server is brought to what the estate says of it"}
				}
				o.State = cmp.Or(state, o.State)
				return lines(p, c, func(ctx context.Context) ([]string, error) { return agent.PlanServer(ctx, o) })
			}
			o, err := agent.Open(spooler)
			if err != nil {
				return err
			}
			o.State = cmp.Or(state, o.State)
			o.Version = version
			return lines(p, c, func(ctx context.Context) ([]string, error) {
				out, err := agent.Plan(ctx, o)
				if err != nil || !agree {
					return out, err
				}
				return append(out, "Agreed: the agent does it within seconds, where it runs."), agent.Agree(o.State)
			})
		}}
	spoolerFlags(c, &spooler, &state)
	serveFlag(c, &serve)
	c.Flags().BoolVar(&agree, "agree", false, "agree to it, where the agent waits for that")
	return c
}

// serveFlag is for machines that keep a print server.
func serveFlag(c *cobra.Command, serve *bool) {
	c.Flags().BoolVar(serve, "serve", false, "as the keeper of a print server: its shared queues instead of lineups")
}

// clearAll undoes what run did.
func clearAll(p *printer) *cobra.Command {
	var spooler, state string
	var sure, serve bool
	c := &cobra.Command{Use: "clear --yes", Short: "Remove every queue that the agent installed here, and " +
		"nothing else; stop the agent first", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			if !sure {
				return fault.New(fault.Conflict, "not-confirmed", "say --yes, and stop the agent first, which would put them back",
					"this removes every queue that the agent installed")
			}
			if serve {
				o, err := agent.OpenServer(spooler)
				if err != nil {
					return err
				}
				return lines(p, c, func(ctx context.Context) ([]string, error) { return agent.ClearServer(ctx, o.Spooler) })
			}
			o, err := agent.Open(spooler)
			if err != nil {
				return err
			}
			o.State = cmp.Or(state, o.State)
			return lines(p, c, func(ctx context.Context) ([]string, error) { return agent.Clear(ctx, o) })
		}}
	spoolerFlags(c, &spooler, &state)
	c.Flags().BoolVar(&sure, "yes", false, "do it")
	serveFlag(c, &serve)
	return c
}

func spoolerFlags(c *cobra.Command, spooler, state *string) {
	spoolerFlag(c, spooler)
	c.Flags().StringVar(state, "state", "", "where the agent keeps what it knows; as with run when absent")
}

// spoolerFlag says which spooler; the machine's own where nothing else is said.
func spoolerFlag(c *cobra.Command, spooler *string) {
	c.Flags().StringVar(spooler, "spooler", agent.OwnSpooler, "system for the machine's own, unix:SOCKET, or standin:DIR")
}

func lines(p *printer, c *cobra.Command, f func(ctx context.Context) ([]string, error)) error {
	ctx, cancel := context.WithTimeout(c.Context(), time.Minute)
	defer cancel()
	out, err := f(ctx)
	if perr := p.list(c, out); err == nil {
		err = perr
	}
	return err
}
