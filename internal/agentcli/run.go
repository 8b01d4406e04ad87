// Package agentcli is the agent's command line.
package agentcli

import (
	"cmp"
	"context"
	_ "embed"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/internal/agent"
	"cirque/internal/cmdline"
)

// Execute runs a command line and gives its exit code. An error is one line on Err; as JSON or YAML it is one object.
func Execute(ctx context.Context, version string, args []string, io cmdline.Streams) int {
	c := Command(version, cmdline.TerminalWidth(io.Out))
	c.SetArgs(append([]string{}, args...))
	c.SetIn(io.In)
	c.SetOut(cmdline.Plain(io.Out))
	c.SetErr(cmdline.Plain(io.Err))
	if err := c.ExecuteContext(ctx); err != nil {
		return cmdline.Report(cmdline.Plain(io.Err), "cirque-agent", cmdline.FormOf(args), err)
	}
	return cmdline.ExitOK
}

//go:embed examples.txt
var examples string

// Command is the tree of commands, with help for so many columns.
func Command(version string, width int) *cobra.Command {
	c := &cobra.Command{Use: "cirque-agent", Short: "Keep this endpoint's queues equal to its lineups",
		Long: "Keep this endpoint's queues equal to its lineups.\n\n" + cmdline.ExitCodes}
	p := &printer{}
	cmdline.FormFlag(c, &p.form)
	cmdline.Root(c, width, cmdline.ParseExamples(examples),
		cmdline.Section{Title: "Endpoint", Commands: []*cobra.Command{enrol(p), run(version), refresh(p), status(p), plan(p),
			checkup(p), sayWho(p), capture(p), clearAll(p)}},
		cmdline.Section{Title: "Program", Commands: []*cobra.Command{versionCommand(p, version)}})
	complete(c)
	return c
}

func versionCommand(p *printer, version string) *cobra.Command {
	return &cobra.Command{Use: "version", Short: "Print the version", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			return p.print(c, map[string]string{"version": version}, "cirque-agent "+version)
		}}
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
		return "", nil, fault.New(fault.Invalid, "token-file", "to make a token: cirque token create --role agent "+
			"--machine NAME",
			"%v", err)
	}
	if r.caFile != "" {
		if ca, err = os.ReadFile(r.caFile); err != nil {
			return "", nil, unreadable("authority", r.caFile, err)
		}
	}
	return token, ca, nil
}

func run(version string) *cobra.Command {
	var to reach
	var spooler, state, table string
	var serve bool
	c := &cobra.Command{Use: "run --spooler S [--service URL --token-file F]", Short: "Run until stopped",
		Args: cmdline.Args(0, 0),
		Long: `Ask the service for the lineups of this machine and of each session on it, bring the spooler into
line, and report. A machine that is enrolled (cirque-agent enrol) needs neither --service nor
--token-file.

The spooler unix is the operating system's own on Unix, over its local socket; unix:SOCKET is one
that listens elsewhere. The spooler standin:DIR keeps queues as files in DIR; the machine is then
what DIR/machine.yaml makes up, or this very one without that file. Queues that the agent did not
install are never touched. The last lineups are kept on disk; the agent goes on with them while the
service is away. SIGHUP has it look, and report, at once.

With --serve the machine is a print server that Cirque keeps (kept: true in the estate): instead of
lineups, its shared queues are made and held as the estate says. Queues that somebody else made
there are listed, and left.`,
		RunE: func(c *cobra.Command, _ []string) error {
			o, err := opened(spooler, serve)
			if err != nil {
				return err
			}
			var token string
			var ca []byte
			if to.service != "" || to.tokenFile != "" {
				if to.service == "" || to.tokenFile == "" {
					return &cmdline.Usage{What: "name both --service and --token-file, or neither on a machine that is enrolled"}
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
			cfg := agent.Config{Reach: o.Reach, Service: to.service, Token: token, CA: ca, State: cmp.Or(state,
				o.State), Version: version, Spooler: o.Spooler, Machine: o.Machine,
				Log: slog.New(slog.NewTextHandler(os.Stderr, nil))}
			var a runner
			if o.server != nil {
				a, err = agent.NewKeeper(cfg, o.server)
			} else {
				a, err = agent.New(cfg)
			}
			if err != nil {
				return err
			}
			facts, err := o.Machine.Facts(c.Context())
			if err != nil {
				return err
			}
			does := map[bool]string{false: "follows", true: "keeps its print server by"}[serve]
			fmt.Fprintf(c.OutOrStdout(), "%s %s %s, with the spooler %s.\n", facts.Machine, does, a.Follows(), spooler)
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
	serveFlag(c, &serve)
	_ = c.MarkFlagRequired("spooler")
	return c
}

// A runner keeps a machine in line, as an endpoint or as a print server.
type runner interface {
	Follows() string
	Run(ctx context.Context) error
}

// openedAs is a spooler as an endpoint's, or as a print server's.
type openedAs struct {
	agent.Opened
	server agent.ServerSpooler // nil for an endpoint
}

func opened(spooler string, serve bool) (openedAs, error) {
	if !serve {
		o, err := agent.Open(spooler)
		return openedAs{Opened: o}, err
	}
	o, err := agent.OpenServer(spooler)
	return openedAs{agent.Opened{Machine: o.Machine, State: o.State}, o.Spooler}, err
}

// unreadable says why a file cannot be read.
func unreadable(what, file string, err error) error {
	return fault.New(fault.Invalid, "file-unreadable", "name a readable file", "the %s %s cannot be read: %s",
		what, file, cmdline.ReasonOf(err))
}
