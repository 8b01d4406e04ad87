// Command cirque-agent keeps one endpoint equal to its lineups.
package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
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
	root := &cobra.Command{Use: "cirque-agent", Short: "Keep this endpoint's queues equal to its lineups", SilenceErrors: true, SilenceUsage: true}
	var service, tokenFile, caFile, spooler, state string
	run := &cobra.Command{Use: "run --service URL --token-file F --spooler standin:DIR", Short: "Run until stopped", Args: cobra.NoArgs,
		Long: `Ask the service for the lineups of this machine and of each session on it, bring the spooler into line, and report.

The spooler standin:DIR keeps queues as files in DIR. The machine's name, addresses, platform and sessions are the operating
system's, or, for a machine that is made up, those of DIR/machine.yaml. The last lineups are kept on disk; the agent goes on
with them while the service is away.`,
		RunE: func(c *cobra.Command, _ []string) error {
			kind, dir, ok := strings.Cut(spooler, ":")
			if !ok || kind != "standin" || dir == "" {
				return fmt.Errorf("the spooler %q is not known; write standin:DIR", spooler)
			}
			token, err := os.ReadFile(tokenFile)
			if err != nil {
				return fmt.Errorf("the token file %s cannot be read; make one: cirque token create --role agent --machine NAME", tokenFile)
			}
			var ca []byte
			if caFile != "" {
				if ca, err = os.ReadFile(caFile); err != nil {
					return fmt.Errorf("the authority %s cannot be read", caFile)
				}
			}
			standIn, err := agent.NewStandIn(dir)
			if err != nil {
				return err
			}
			if _, err := standIn.Facts(c.Context()); err != nil {
				return fmt.Errorf("%s/machine.yaml cannot be read: %w", dir, err)
			}
			if state == "" {
				state = filepath.Join(dir, ".agent")
			}
			a, err := agent.New(agent.Config{Service: service, Token: string(token), CA: ca, State: state, Version: version, Spooler: standIn, Machine: standIn,
				Log: slog.New(slog.NewTextHandler(os.Stderr, nil))})
			if err != nil {
				return err
			}
			return a.Run(c.Context())
		}}
	f := run.Flags()
	f.StringVar(&service, "service", "", "the service's address")
	f.StringVar(&tokenFile, "token-file", "", "a file that holds this machine's token")
	f.StringVar(&caFile, "ca", "", "the certificate authority to trust, a PEM file")
	f.StringVar(&spooler, "spooler", "", "standin:DIR")
	f.StringVar(&state, "state", "", "where lineups are kept; DIR/.agent when absent")
	for _, name := range []string{"service", "token-file", "spooler"} {
		_ = run.MarkFlagRequired(name)
	}
	root.AddCommand(run, &cobra.Command{Use: "version", Short: "Print the version", Run: func(c *cobra.Command, _ []string) { fmt.Fprintln(c.OutOrStdout(), "cirque-agent "+version) }})
	return root
}
