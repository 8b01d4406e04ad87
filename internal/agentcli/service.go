package agentcli

import (
	"github.com/spf13/cobra"

	"cirque/internal/cmdline"
)

// service puts the agent under the service manager of Windows.
func service(p *printer) *cobra.Command {
	c := &cobra.Command{Use: "service", Short: "Have Windows run the agent as a service, and start and stop it",
		Args: cmdline.Args(0, 0),
		Long: `Have the service manager of Windows run the agent from the system's start on, and start it again when
it fails. It writes to the event log, as the source CirqueAgent. The packages for Windows do this by
themselves, and those for other systems bring a unit of their service manager.`}
	for _, verb := range []struct{ use, short, done string }{
		{"install", "Install the service, and start it", "The service is installed, and was started."},
		{"start", "Start the service", "The service was started."},
		{"stop", "Stop the service", "The service was stopped."},
		{"remove", "Stop the service, and take it away", "The service is gone. Queues, and what the agent keeps, stay: see " +
			"cirque-agent clear."},
		{"state", "Say whether the service is installed and runs", ""},
	} {
		c.AddCommand(&cobra.Command{Use: verb.use, Short: verb.short, Args: cmdline.Args(0, 0),
			RunE: func(c *cobra.Command, _ []string) error {
				says, err := ofService(verb.use)
				if err != nil {
					return err
				}
				if says == "" {
					says = verb.done
				}
				return p.say(c, "%s", says)
			}})
	}
	return c
}

// inSession does one thing in a person's own session, where the agent started this program.
func inSession() *cobra.Command {
	return &cobra.Command{Use: "in-session WHAT QUEUE", Hidden: true, Args: cmdline.Args(2, 2),
		RunE: func(_ *cobra.Command, args []string) error { return doInSession(args[0], args[1]) }}
}
