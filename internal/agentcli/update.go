package agentcli

import (
	"github.com/spf13/cobra"

	"cirque/internal/agent"
	"cirque/internal/cmdline"
	"cirque/internal/install"
)

// applyUpdate is what the agent starts, or its unit, so that it outlives the agent.
func applyUpdate(p *printer) *cobra.Command {
	var folder string
	c := &cobra.Command{Use: "apply-update", Short: "Install the version of the agent that the service told it to",
		Args: cmdline.Args(0, 0),
		Long: `Install the package that the agent has fetched since the service told it to, wait until the agent
has come up, and go back to the former version where it does not. The agent starts it by itself, or
the unit cirque-agent-update does. Where device management brings agents to other versions, write
updates: left into the set-up file, and nothing of this happens.`,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := (install.Updater{Dir: folder}).Apply(c.Context()); err != nil {
				return err
			}
			t, _, err := install.Read(folder)
			if err != nil {
				return err
			}
			if t.State == install.Done {
				return p.say(c, "The agent has come up as version %s.", t.To)
			}
			return p.say(c, "The agent was not brought to version %s: %s.", t.To, t.Says)
		}}
	c.Flags().StringVar(&folder, "folder", install.Folder(agent.DefaultState()), "where the agent has put it")
	return c
}
