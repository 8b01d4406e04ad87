package agentcli

import (
	"cmp"
	"context"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/internal/agent"
	"cirque/internal/cmdline"
)

// checkup looks from the machine's own place.
func checkup(p *printer) *cobra.Command {
	var spooler, state, queue string
	c := &cobra.Command{Use: "checkup", Short: "Look from this machine what is wrong: service, spooler, " +
		"queues, paths, a test page", Args: cmdline.Args(0, 0),
		Long: `Check this machine step by step, from its own place: whether it reaches the service and is known
there, what it should have and why, whether its spooler works, whether each queue is there, and
whether each path answers from here. With --queue a test page is printed, too. The last lineups are
those that the agent keeps.`,
		RunE: func(c *cobra.Command, _ []string) error {
			o, err := agent.Open(spooler)
			if err != nil {
				return err
			}
			o.State = cmp.Or(state, o.State)
			ctx, cancel := context.WithTimeout(c.Context(), time.Minute)
			defer cancel()
			lines, bad, err := agent.CheckHere(ctx, o, agent.Testing{Queue: queue})
			if perr := p.list(c, lines); err == nil {
				err = perr
			}
			if err == nil && bad {
				fmt.Fprintln(c.ErrOrStderr(), "Something is wrong; the first check that says no is where to begin.")
				err = cmdline.ErrNo
			}
			return err
		}}
	spoolerFlags(c, &spooler, &state)
	c.Flags().StringVar(&queue, "queue", "", "also print a test page to this queue")
	return c
}

// refresh calls the agent that runs on this machine.
func refresh(p *printer) *cobra.Command {
	var at place
	c := &cobra.Command{Use: "refresh", Short: "Have the agent that runs here look at its queues " +
		"and report now", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			state, _, err := at.open()
			if err != nil {
				return err
			}
			if err := agent.CallHere(state); err != nil {
				return fault.New(fault.Unavailable, "agent-silent", "see that it runs, and with this --state",
					"the agent cannot be called: %v", err)
			}
			return p.say(c, "The agent was called, and looks within a second.")
		}}
	at.flags(c)
	return c
}
