// Command cirque-agent keeps one endpoint equal to its lineups.
package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"cirque/internal/agent"
)

// version is set when a release is built.
var version = "0.1.0-dev"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := command().ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "cirque-agent: "+err.Error())
		os.Exit(1)
	}
}

func command() *cobra.Command {
	root := &cobra.Command{Use: "cirque-agent", Short: "Keep this endpoint's queues equal to its lineups",
		SilenceErrors: true, SilenceUsage: true}
	root.AddCommand(run(), enrol(), status(), plan(), checkup(), refresh(), clearAll(), sayWho(), capture(),
		&cobra.Command{Use: "version", Short: "Print the version", Run: func(c *cobra.Command,
			_ []string) {
			fmt.Fprintln(c.OutOrStdout(), "cirque-agent "+version)
		}})
	return root
}

// reach is how the service is reached.
type reach struct{ service, tokenFile, caFile string }

func (r *reach) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&r.service, "service", "", "the service's address")
	f.StringVar(&r.tokenFile, "token-file", "", "a file that holds this machine's token, which nobody else may "+
		"read; - for standard input")
	f.StringVar(&r.caFile, "ca", "", "the certificate authority to trust, a PEM file")
}

func (r *reach) read(in io.Reader) (token string, ca []byte, err error) {
	if token, err = agent.ReadSecret(r.tokenFile, in); err != nil {
		return "", nil, fmt.Errorf("%w; to make a token: cirque token create --role agent --machine NAME", err)
	}
	if r.caFile != "" {
		if ca, err = os.ReadFile(r.caFile); err != nil {
			return "", nil, fmt.Errorf("the authority %s cannot be read", r.caFile)
		}
	}
	return token, ca, nil
}

func run() *cobra.Command {
	var to reach
	var spooler, state, table string
	c := &cobra.Command{Use: "run --spooler S [--service URL --token-file F]", Short: "Run until stopped",
		Args: cobra.NoArgs,
		Long: `Ask the service for the lineups of this machine and of each session on it, bring the spooler into
line, and report. A machine that is enrolled (cirque-agent enrol) needs neither --service nor
--token-file.

The spooler unix is the operating system's own on Unix, over its local socket; unix:SOCKET is one
that listens elsewhere. The spooler standin:DIR keeps queues as files in DIR; the machine is then
what DIR/machine.yaml makes up, or this very one without that file. Queues that the agent did not
install are never touched. The last lineups are kept on disk; the agent goes on with them while the
service is away. SIGHUP has it look, and report, at once.`,
		Example: "  cirque-agent run --spooler unix\n  cirque-agent run --spooler standin:/tmp/desk --service " +
			"http://127.0.0.1:8631 --token-file token",
		RunE: func(c *cobra.Command, _ []string) error {
			o, err := agent.Open(spooler)
			if err != nil {
				return err
			}
			var token string
			var ca []byte
			if to.service != "" || to.tokenFile != "" {
				if to.service == "" || to.tokenFile == "" {
					return errors.New("name both --service and --token-file, or neither on a machine that is enrolled")
				}
				if token, ca, err = to.read(c.InOrStdin()); err != nil {
					return err
				}
			}
			if table != "" {
				if o.Reach, err = agent.ReadReach(table); err != nil {
					return err
				}
			}
			a, err := agent.New(agent.Config{Reach: o.Reach, Service: to.service, Token: token, CA: ca, State: cmp.Or(state,
				o.State), Version: version, Spooler: o.Spooler, Machine: o.Machine,
				Log: slog.New(slog.NewTextHandler(os.Stderr, nil))})
			if err != nil {
				return err
			}
			hup := make(chan os.Signal, 1)
			signal.Notify(hup, syscall.SIGHUP) // it looks anew, and never ends by it
			go func() {
				for range hup {
					_ = agent.CallHere(cmp.Or(state, o.State))
				}
			}()
			return a.Run(c.Context())
		}}
	to.flags(c)
	c.Flags().StringVar(&spooler, "spooler", "", "unix, unix:SOCKET, or standin:DIR")
	c.Flags().StringVar(&state, "state", "", "where lineups are kept; DIR/.agent of a stand-in, else "+
		"/var/lib/cirque-agent, when absent")
	c.Flags().StringVar(&table, "address-table", "", "a file that leads printers' addresses elsewhere, for practising "+
		"with stand-ins")
	_ = c.MarkFlagRequired("spooler")
	return c
}
