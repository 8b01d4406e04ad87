package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"cirque/internal/agent"
)

// checkup looks from the machine's own place.
func checkup() *cobra.Command {
	var spooler, state, queue string
	c := &cobra.Command{Use: "checkup --spooler S", Short: "Look from this machine what is wrong: service, spooler, " +
		"queues, paths, a test page", Args: cobra.NoArgs,
		Long: `Check this machine step by step, from its own place: whether it reaches the service and is known
there, what it should have and why, whether its spooler works, whether each queue is there, and
whether each path answers from here. With --queue a test page is printed, too. The last lineups are
those that the agent keeps.`,
		Example: "  cirque-agent checkup --spooler unix\n  cirque-agent checkup --spooler unix --queue hall-mono",
		RunE: func(c *cobra.Command, _ []string) error {
			o, err := agent.Open(spooler)
			if err != nil {
				return err
			}
			o.State = cmp.Or(state, o.State)
			ctx, cancel := context.WithTimeout(c.Context(), time.Minute)
			defer cancel()
			lines, bad, err := agent.CheckHere(ctx, o, agent.Testing{Queue: queue})
			for _, l := range lines {
				fmt.Fprintln(c.OutOrStdout(), l)
			}
			if err == nil && bad {
				err = errors.New("something is wrong; the first check that says no is where to begin")
			}
			return err
		}}
	spoolerFlags(c, &spooler, &state)
	c.Flags().StringVar(&queue, "queue", "", "also print a test page to this queue")
	return c
}

// refresh calls the agent that runs on this machine.
func refresh() *cobra.Command {
	var at place
	c := &cobra.Command{Use: "refresh --state DIR", Short: "Have the agent that runs here look at its queues " +
		"and report now", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			state, _, err := at.open()
			if err != nil {
				return err
			}
			if err := agent.CallHere(state); err != nil {
				return fmt.Errorf("the agent cannot be called: %w", err)
			}
			_, err = fmt.Fprintln(c.OutOrStdout(), "The agent was called, and looks within a second.")
			return err
		}}
	at.flags(c)
	return c
}
