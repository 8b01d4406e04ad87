// Package agentcli is the agent's command line.
package agentcli

import (
	"context"
	_ "embed"
	"io"
	"log/slog"
	"os"

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
		cmdline.Section{Title: "Endpoint", Commands: []*cobra.Command{enrol(p), run(version), refresh(p), status(p),
			plan(p, version), checkup(p), sayWho(p), capture(p), clearAll(p)}},
		cmdline.Section{Title: "Program", Commands: []*cobra.Command{service(p), applyUpdate(p),
			versionCommand(p, version)}})
	c.AddCommand(inSession())
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
	r := running{version: version}
	var asService bool
	c := &cobra.Command{Use: "run [--service URL --token-file F]", Short: "Run until stopped",
		Args: cmdline.Args(0, 0),
		Long: `Ask the service for the lineups of this machine and of each session on it, bring the spooler into
line, and report. A machine that is enrolled needs neither --service nor --token-file. One that is
not is enrolled first, with service and token out of the set-up file (its keys: service, token,
machine, ca, serve, spooler, updates, consent); the token is taken out of the file then. Without either
it ends, and says what to do; cirque-agent enrol does the same by hand.

The spooler system is the operating system's own: windows on Windows, else unix, the common one of
Unix systems over its local socket; unix:SOCKET is one that listens elsewhere. The spooler
standin:DIR keeps queues as files in DIR; the machine is then what DIR/machine.yaml makes up, or
this very one without that file. Queues that the agent did not install are never touched. The last
lineups are kept on disk; the agent goes on with them while the service is away. SIGHUP has it look,
and report, at once.

On Windows the service manager runs it with --as-service (cirque-agent service install); it writes
to the event log then.

With --serve the machine is a print server that Cirque keeps (kept: true in the estate): instead of
lineups, its shared queues are made and held as the estate says. Queues that somebody else made
there are listed, and left.`,
		RunE: func(c *cobra.Command, _ []string) error {
			if r.setUp == "" && r.spooler == agent.OwnSpooler {
				r.setUp = agent.SetUpFile()
			}
			if asService {
				return runAsService(func(ctx context.Context, log slog.Handler) error { return r.run(ctx, c, log) })
			}
			return r.run(c.Context(), c, slog.NewTextHandler(os.Stderr, nil))
		}}
	r.to.flags(c)
	spoolerFlag(c, &r.spooler)
	c.Flags().StringVar(&r.state, "state", "", "where lineups are kept; when absent DIR/.agent of a stand-in, else "+
		agent.DefaultState())
	c.Flags().StringVar(&r.table, "address-table", "", "a file that leads printers' addresses elsewhere, for practising "+
		"with stand-ins")
	c.Flags().StringVar(&r.setUp, "set-up", "", "the file with service and token, with which a machine is enrolled "+
		"that is not; "+agent.SetUpFile()+" with the system's own spooler when absent")
	c.Flags().BoolVar(&asService, "as-service", false, "as the service that the service manager of Windows started")
	serveFlag(c, &r.serve)
	return c
}

// unreadable says why a file cannot be read.
func unreadable(what, file string, err error) error {
	return fault.New(fault.Invalid, "file-unreadable", "name a readable file", "the %s %s cannot be read: %s",
		what, file, cmdline.ReasonOf(err))
}
