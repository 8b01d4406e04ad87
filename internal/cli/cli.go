// Package cli is Cirque's command line: it parses and prints, and decides nothing.
package cli

import (
	"bytes"
	"context"
	_ "embed"
	"fmt"
	"io"
	"net/netip"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// Token describes a token that is to be made.
type Token = access.Token

// Local are the commands that work on this machine rather than over the API; cmd/cirque brings them.
type Local struct {
	Version string
	Serve   func(ctx context.Context, o ServeOptions, out io.Writer) error
	Demo    func(ctx context.Context, o ServeOptions, out io.Writer) error
	// Examine looks at what a service needs, without one.
	Examine func(ctx context.Context, o ServeOptions) []endpoint.Check
	// Story plays the demo's morning on a demo that runs.
	Story     func(ctx context.Context, o StoryOptions) error
	MakeToken func(ctx context.Context, o ServeOptions, want Token) (string, error)
	// ResetAccount gives an account a new password beside the data, and its name as it was made.
	ResetAccount func(ctx context.Context, o ServeOptions, name, password string) (string, error)
	// ForgetFactors takes away an account's second factors beside the data, and gives its name as it was made.
	ForgetFactors func(ctx context.Context, o ServeOptions, name string) (string, error)
	// SecretKeys does something to the secret keys beside the data, and gives those that there are then.
	SecretKeys func(ctx context.Context, o ServeOptions, what SecretKeyChange) (SecretKeys, error)
	// Authority does something to the certificate authority beside the data (prepare, switch, forget, or nothing), and
	// gives those that there are then.
	Authority func(ctx context.Context, o ServeOptions, do string, force bool) ([]Authority, error)
	Backups   Backups
}

// StoryOptions say where a demo runs, and how its story is played.
type StoryOptions struct {
	Data string
	Out  io.Writer
	Next func(ctx context.Context) bool // asked after each step whether to go on; nil where nobody is asked
}

// A SecretKeyChange is what is to be done to the secret keys; nothing is to list them.
type SecretKeyChange struct {
	Do    string // prepare, rotate, forget; "" changes nothing
	ID    string // of the one to forget
	Force bool   // forget what is used still
}

// SecretKeys are those that lie beside the data.
type SecretKeys struct {
	Keys []SecretKey `json:"keys"`
	Lost int         `json:"lost" doc:"How much is sealed with none of them."`
}

// A SecretKey seals, or has sealed, what is secret.
type SecretKey struct {
	ID    string     `json:"id"`
	State string     `json:"state"`
	Since *time.Time `json:"since,omitempty"`
	Seals int        `json:"seals" doc:"How much is sealed with it."`
}

// An Authority is one that lies beside the data.
type Authority struct {
	Fingerprint string    `json:"fingerprint"`
	State       string    `json:"state"`
	Until       time.Time `json:"until"`
	Machines    int       `json:"machines"`
	Some        []string  `json:"some,omitempty"`
}

// ServeOptions are the flags of serve and demo.
type ServeOptions struct {
	Data, Database, Listen, PublicURL, TLSCert, TLSKey, AddressTable, LogFormat, LogFile string
	Spool                                                                                string
	PlainHTTP, Verbose                                                                   bool
	ServersEvery, DevicesEvery                                                           time.Duration
	Proxies, AllowOutgoing                                                               []netip.Prefix
	ProxyProtocol                                                                        bool
	PerAddress                                                                           int
}

// root carries what every command needs.
type root struct {
	screen
	local  Local
	url    string
	token  string
	ca     string
	env    func(string) string
	in     io.Reader
	out    io.Writer // as it is, for what is no text
	home   string    // the user's configuration directory
	once   string    // begins the keys by which changes are done once
	within cmdline.Span
}

// Execute runs a command line and gives its exit code. An error is one line on Err, with the fix; as JSON or YAML it is
// one object.
func Execute(ctx context.Context, local Local, args []string, io cmdline.Streams, env func(string) string) int {
	home, _ := os.UserConfigDir()
	stderr := cmdline.Plain(io.Err)
	r := &root{local: local, env: env, in: io.In, out: io.Out, home: home, screen: screen{
		width: cmdline.TerminalWidth(io.Out), err: stderr, now: time.Now}}
	cmd := wired(r, io)
	cmd.SetArgs(append([]string{}, args...))
	if err := cmd.ExecuteContext(ctx); err != nil {
		return cmdline.Report(stderr, "cirque", cmdline.FormOf(args), err)
	}
	return cmdline.ExitOK
}

// wired makes the tree of commands that read and write there.
func wired(r *root, io cmdline.Streams) *cobra.Command {
	c := rootCommand(r)
	c.SetIn(io.In)
	c.SetOut(cmdline.Plain(io.Out))
	c.SetErr(io.Err) // as it is: how far something is, is told there by moving the cursor
	return c
}

// Command gives the tree of commands, for what is made of it: the manual and the shells' completions.
func Command() *cobra.Command {
	return rootCommand(&root{env: func(string) string { return "" }, screen: screen{err: io.Discard, now: time.Now}})
}

// usagef is a mistake in the call's words.
func usagef(format string, a ...any) error { return &cmdline.Usage{What: fmt.Sprintf(format, a...)} }

//go:embed examples.txt
var examples string

func rootCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "cirque", Short: "Who receives which printers, and how they reach them",
		Long: `Cirque decides which printers each user, group, location, subnet or remote session receives, and keeps it so.

The service's address and a token come from --url and --token-file, from CIRQUE_URL and CIRQUE_TOKEN, or from what
cirque sign-in has kept.

Times are told in this machine's zone, or in UTC with --utc. Where a time is asked for, write 2026-11-23,
"2026-11-23 14:00", 14:00, 2h or RFC 3339; a length of time has its unit: 90s, 5m, 2h, 3d.

` + cmdline.ExitCodes}
	pf := c.PersistentFlags()
	pf.StringVar(&r.url, "url", "", "the service's `ADDRESS` (CIRQUE_URL)")
	pf.StringVar(&r.token, "token-file", "", "a file that holds the token, - for standard input (else CIRQUE_TOKEN)")
	pf.StringVar(&r.ca, "ca", "", "the certificate authority to trust, a PEM file (CIRQUE_CA)")
	r.within = cmdline.Span(2 * time.Minute)
	pf.Var(&r.within, "timeout", "how long the service may take to begin an answer")
	pf.StringVar(&r.once, "idempotency-key", "", "the `KEY` of a command whose answer was lost: what it changed is not "+
		"changed again")
	cmdline.FormFlag(c, &r.output)
	pf.BoolVar(&r.utc, "utc", false, "tell times in UTC, and take those without a zone so")
	cmdline.Root(c, r.width, cmdline.ParseExamples(examples), sections(r)...)
	completeNames(r, c)
	return c
}

// sections are the commands by what somebody comes for.
func sections(r *root) []cmdline.Section {
	section := func(title string, list ...*cobra.Command) cmdline.Section {
		return cmdline.Section{Title: title, Commands: list}
	}
	return []cmdline.Section{
		section("Decide", append(placeCommands(r), estateCommand(r), draftCommand(r), queueCommand(r), grantCommand(r),
			promiseCommand(r), chargeCommand(r), allowanceCommand(r), jobCommand(r),
			settingCommand(r), adoptCommand(r), rehearseCommand(r),
			publishCommand(r), revertCommand(r), undoCommand(r), historyCommand(r), diffCommand(r), requestCommand(r),
			pickCommand(r, "pick", "Pick an offered queue for a person", "PUT"),
			pickCommand(r, "unpick", "Take a person's pick back", "DELETE"))...),
		section("Explain", lineupCommand(r), whyCommand(r), whoCommand(r), reachCommand(r), testPageCommand(r),
			subjectCommand(r, "person", "people"), subjectCommand(r, "machine", "machines"), addressCommand(r),
			orphansCommand(r), coverageCommand(r), checklistCommand(r), noteCommand(r)),
		section("Inventory", serverCommand(r), deviceCommand(r), driverCommand(r), directoryCommand(r)),
		section("Endpoints", endpointCommand(r), fleetCommand(r), proofCommand(r), enrolCommand(r)),
		section("Continuity", healthCommand(r), faultsCommand(r), noticeCommand(r), drainCommand(r), backCommand(r),
			dutiesCommand(r), movesCommand(r), failoverTestCommand(r), snapshotCommand(r),
			former("photograph", "snapshot", snapshotCommand(r)),
			former("exercise", "failover-test", failoverTestCommand(r))),
		section("Access", signInCommand(r), whoamiCommand(r), signOutCommand(r), accountCommand(r), tokenCommand(r),
			credentialCommand(r), auditCommand(r), personDataCommand(r)),
		section("Service", serveCommand(r), demoCommand(r), doctorCommand(r), readyCommand(r), secretKeyCommand(r),
			authorityCommand(r), backupCommand(r), restoreCommand(r), backupKeyCommand(r), instanceCommand(r),
			versionCommand(r)),
	}
}

// client makes a client for the service that the flags, the environment or the kept sign-in name.
func (r *root) client() (*apiclient.Client, error) {
	kept, _ := keptAt(r.kept(), first(r.url, r.env("CIRQUE_URL")))
	url, token, caFile := first(r.url, r.env("CIRQUE_URL"), kept.URL), first(r.env("CIRQUE_TOKEN")),
		first(r.ca, r.env("CIRQUE_CA"))
	if r.token != "" {
		var err error
		if token, err = r.tokenFile(); err != nil {
			return nil, err
		}
	}
	if kept.URL != "" { // a kept token goes to its own service only
		token, caFile = first(token, kept.Token), first(caFile, kept.CA)
	}
	if url == "" {
		return nil, fault.New(fault.Invalid, "no-service", "run cirque sign-in URL, or set --url or CIRQUE_URL",
			"no service is named")
	}
	var pem []byte
	if caFile != "" {
		var err error
		if pem, err = os.ReadFile(caFile); err != nil {
			return nil, fault.New(fault.Invalid, "ca-file", "name a readable file", "the authority %s cannot be read: %s",
				caFile,
				cmdline.ReasonOf(err))
		}
	}
	c, err := apiclient.New(url, token, pem)
	if err == nil {
		c.AnswerWithin(time.Duration(r.within))
		c.Once = first(r.once, c.Once)
		c.Aged = func(age time.Duration) {
			fmt.Fprintf(r.err, "cirque: this is as of %s, %s ago: the service does not hear of changes; see cirque ready\n",
				r.zone().Clock(r.now().Add(-age)), words.Span(age))
		}
	}
	return c, err
}

// tokenFile reads the token out of the file that was named, or from standard input.
func (r *root) tokenFile() (string, error) {
	var b []byte
	var err error
	if r.token == "-" {
		b, err = io.ReadAll(io.LimitReader(r.in, 4096))
		r.in = bytes.NewReader(b) // a second client of the command reads it again
	} else {
		b, err = os.ReadFile(r.token)
	}
	if err != nil {
		return "", fault.New(fault.Invalid, "token-file", "name a readable file", "the token file %s cannot be read: %s",
			r.token, cmdline.ReasonOf(err))
	}
	return strings.TrimSpace(string(b)), nil
}

func first(list ...string) string {
	for _, s := range list {
		if s != "" {
			return s
		}
	}
	return ""
}
