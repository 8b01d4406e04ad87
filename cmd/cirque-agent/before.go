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

// plan says what run would do.
func plan() *cobra.Command {
	var spooler, state string
	c := &cobra.Command{Use: "plan --spooler S", Short: "Say what the agent would add, change, remove and leave here, " +
		"and touch nothing", Args: cobra.NoArgs,
		Example: "  cirque-agent plan --spooler unix",
		RunE: func(c *cobra.Command, _ []string) error {
			o, err := agent.Open(spooler)
			if err != nil {
				return err
			}
			o.State = cmp.Or(state, o.State)
			return lines(c, func(ctx context.Context) ([]string, error) { return agent.Plan(ctx, o) })
		}}
	spoolerFlags(c, &spooler, &state)
	return c
}

// clearAll undoes what run did.
func clearAll() *cobra.Command {
	var spooler string
	var sure bool
	c := &cobra.Command{Use: "clear --spooler S --yes", Short: "Remove every queue that the agent installed here, and " +
		"nothing else; stop the agent first", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if !sure {
				return errors.New("this removes every queue that the agent installed; say --yes, and stop the agent first, which " +
					"would put them back")
			}
			o, err := agent.Open(spooler)
			if err != nil {
				return err
			}
			return lines(c, func(ctx context.Context) ([]string, error) { return agent.Clear(ctx, o.Spooler) })
		}}
	spoolerFlags(c, &spooler, nil)
	c.Flags().BoolVar(&sure, "yes", false, "do it")
	return c
}

func spoolerFlags(c *cobra.Command, spooler, state *string) {
	c.Flags().StringVar(spooler, "spooler", "", "unix, unix:SOCKET, or standin:DIR")
	if state != nil {
		c.Flags().StringVar(state, "state", "", "where the agent keeps what it knows; as with run when absent")
	}
	_ = c.MarkFlagRequired("spooler")
}

func lines(c *cobra.Command, f func(ctx context.Context) ([]string, error)) error {
	ctx, cancel := context.WithTimeout(c.Context(), time.Minute)
	defer cancel()
	out, err := f(ctx)
	for _, l := range out {
		fmt.Fprintln(c.OutOrStdout(), l)
	}
	return err
}
