// Package cli is Cirque's command line: it parses and prints, and decides nothing.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/words"
	"cirque/internal/apiclient"
)

// Exit codes.
const (
	ExitOK          = 0
	ExitFailed      = 1 // anything that is not below
	ExitUsage       = 2 // the call's words are off
	ExitInvalid     = 3 // what was given is wrong: a file, a context
	ExitUnknown     = 4 // what was named is not there
	ExitDenied      = 5 // not signed in, or not allowed
	ExitConflict    = 6 // somebody else's change, or the present state, is in the way
	ExitUnavailable = 7 // the service, its database or a device does not answer
	ExitNo          = 8 // the question was answered with no, such as why for an absent queue
)

// Token describes a token that is to be made.
type Token = access.Token

// Local are the commands that work on this machine rather than over the API; cmd/cirque brings them.
type Local struct {
	Version   string
	Serve     func(ctx context.Context, o ServeOptions, out io.Writer) error
	Demo      func(ctx context.Context, o ServeOptions, out io.Writer) error
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
	PlainHTTP, Verbose                                                                   bool
	ServersEvery, DevicesEvery                                                           time.Duration
	Proxies, AllowOutgoing                                                               []netip.Prefix
	ProxyProtocol                                                                        bool
	PerAddress                                                                           int
}

// root carries what every command needs.
type root struct {
	local  Local
	url    string
	token  string
	ca     string
	output string
	env    func(string) string
	home   string // the user's configuration directory
	err    io.Writer
	once   string // begins the keys by which changes are done once
	within time.Duration
	width  int // of the terminal, 0 when it is none
}

// Streams are where a command reads and writes.
type Streams struct {
	In       io.Reader
	Out, Err io.Writer
}

// Execute runs a command line and gives its exit code. Errors are one line on Err, with the fix.
func Execute(ctx context.Context, local Local, args []string, io Streams, env func(string) string) int {
	home, _ := os.UserConfigDir()
	r := &root{local: local, env: env, home: home, width: terminalWidth(io.Out), err: &plainWriter{to: io.Err}}
	cmd := rootCommand(r)
	cmd.SetArgs(append([]string{}, args...))
	cmd.SetIn(io.In)
	cmd.SetOut(&plainWriter{to: io.Out})
	cmd.SetErr(io.Err)
	err := cmd.ExecuteContext(ctx)
	if err == nil {
		return ExitOK
	}
	return report(&plainWriter{to: io.Err}, err)
}

// errNo is a question answered with no; all has been said.
var errNo = errors.New("no")

// usageError is a mistake in the call's words.
type usageError struct{ error }

func report(w io.Writer, err error) int {
	if errors.Is(err, errNo) {
		return ExitNo
	}
	if errors.Is(err, context.Canceled) {
		fmt.Fprintln(w, "cirque: stopped")
		return ExitFailed
	}
	if f, ok := errors.AsType[*fault.Error](err); ok {
		line := "cirque: " + f.What
		if f.Fix != "" {
			line += "; " + f.Fix
		}
		if f.Err != nil && (f.Kind == fault.Unavailable || f.Kind == fault.Internal) {
			line += " (" + firstLine(f.Err.Error()) + ")"
		}
		fmt.Fprintln(w, line)
		if len(f.Details) > 1 || len(f.Details) == 1 && (strings.Contains(f.Details[0].Place, ":") ||
			!strings.Contains(f.What, f.Details[0].What)) {
			for _, d := range f.Details {
				fmt.Fprintln(w, "  "+d.String())
			}
		}
		return exitOf(f.Kind)
	}
	if ue, ok := errors.AsType[usageError](err); ok {
		fmt.Fprintf(w, "cirque: %s; see --help\n", ue.Error())
		return ExitUsage
	}
	if msg := err.Error(); strings.HasPrefix(msg, "unknown command") || strings.HasPrefix(msg, "required flag") ||
		strings.HasPrefix(msg, "accepts ") || strings.HasPrefix(msg, "requires ") {
		fmt.Fprintf(w, "cirque: %s; see --help\n", strings.ReplaceAll(firstLine(msg), "\"", "'"))
		return ExitUsage
	}
	fmt.Fprintln(w, "cirque: "+err.Error())
	return ExitFailed
}

func firstLine(s string) string {
	s, _, _ = strings.Cut(s, "\n")
	return s
}

func exitOf(k fault.Kind) int {
	switch k {
	case fault.Invalid, fault.TooLarge:
		return ExitInvalid
	case fault.Unknown:
		return ExitUnknown
	case fault.Unsigned, fault.Denied, fault.TooMany:
		return ExitDenied
	case fault.Conflict:
		return ExitConflict
	case fault.Unavailable:
		return ExitUnavailable
	}
	return ExitFailed
}

const exitCodes = `
Exit codes: 0 done, 1 failed, 2 the call's words are off, 3 what was given is wrong, 4 what was named is not there,
5 not signed in or not allowed, 6 something is in the way, 7 the service or a device does not answer,
8 the answer is no.`

func rootCommand(r *root) *cobra.Command {
	c := &cobra.Command{
		Use:   "cirque",
		Short: "Who receives which printers, and how they reach them",
		Long: `Cirque decides which printers each user, group, location, subnet or remote session receives, and keeps it so.

The service's address and a token come from --url and --token-file, from CIRQUE_URL and CIRQUE_TOKEN, or from what
cirque sign-in has kept.` + "\n" + exitCodes,
		SilenceErrors: true, SilenceUsage: true,
		CompletionOptions: cobra.CompletionOptions{HiddenDefaultCmd: false},
	}
	c.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	pf := c.PersistentFlags()
	pf.StringVar(&r.url, "url", "", "the service's address (CIRQUE_URL)")
	pf.StringVar(&r.token, "token-file", "", "a file that holds the token (else CIRQUE_TOKEN)")
	pf.StringVar(&r.ca, "ca", "", "the certificate authority to trust, a PEM file (CIRQUE_CA)")
	pf.DurationVar(&r.within, "timeout", 2*time.Minute, "how long the service may take to begin an answer, such as 30s")
	pf.StringVar(&r.once, "idempotency-key", "", "that of a command whose answer was lost: what it changed is not "+
		"changed again")
	pf.StringVarP(&r.output, "output", "o", "table", "how to print: table, json or yaml")
	c.PersistentPreRunE = func(*cobra.Command, []string) error {
		if r.output != "table" && r.output != "json" && r.output != "yaml" {
			return usageError{fmt.Errorf("%q is no way to print: table, json or yaml", r.output)}
		}
		return nil
	}
	c.AddCommand(serveCommand(r), demoCommand(r), addressCommand(r), signInCommand(r), whoamiCommand(r), signOutCommand(r),
		tokenCommand(r), accountCommand(r),
		secretKeyCommand(r), authorityCommand(r),
		auditCommand(r),
		enrolCommand(r), requestCommand(r),
		personDataCommand(r), estateCommand(r), draftCommand(r), rehearseCommand(r), publishCommand(r), revertCommand(r),
		historyCommand(r), diffCommand(r), coverageCommand(r),
		whoCommand(r), reachCommand(r), drainCommand(r), backCommand(r), dutiesCommand(r), movesCommand(r),
		healthCommand(r), fleetCommand(r), proofCommand(r), faultsCommand(r),
		noticeCommand(r), failoverTestCommand(r), snapshotCommand(r), pickCommand(r, "pick",
			"Pick an offered queue for a person", "PUT"),
		pickCommand(r, "unpick", "Take a person's pick back", "DELETE"), directoryCommand(r), serverCommand(r),
		deviceCommand(r), driverCommand(r),
		credentialCommand(r), adoptCommand(r), orphansCommand(r), queueCommand(r), subjectCommand(r, "person", "people"),
		subjectCommand(r, "machine", "machines"),
		lineupCommand(r), whyCommand(r), endpointCommand(r), testPageCommand(r), readyCommand(r), versionCommand(r),
		former("photograph", "snapshot", snapshotCommand(r)), former("exercise", "failover-test", failoverTestCommand(r)))
	return c
}

// client makes a client for the service that the flags, the environment or the kept sign-in name.
func (r *root) client() (*apiclient.Client, error) {
	kept, _ := keptAt(r.kept(), first(r.url, r.env("CIRQUE_URL")))
	url, token, caFile := first(r.url, r.env("CIRQUE_URL"), kept.URL), first(r.env("CIRQUE_TOKEN")),
		first(r.ca, r.env("CIRQUE_CA"))
	if r.token != "" {
		b, err := os.ReadFile(r.token)
		if err != nil {
			return nil, fault.New(fault.Invalid, "token-file", "name a readable file",
				"the token file %s cannot be read", r.token)
		}
		token = strings.TrimSpace(string(b))
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
			return nil, fault.New(fault.Invalid, "ca-file", "name a readable file", "the authority %s cannot be read", caFile)
		}
	}
	c, err := apiclient.New(url, token, pem)
	if err == nil {
		c.AnswerWithin(r.within)
		c.Once = first(r.once, c.Once)
		c.Aged = func(age time.Duration) {
			fmt.Fprintf(r.err, "cirque: this is as of %s, %s ago: the service does not hear of changes; see cirque ready\n",
				time.Now().Add(-age).Format("15:04:05"), words.Span(age))
		}
	}
	return c, err
}

func first(list ...string) string {
	for _, s := range list {
		if s != "" {
			return s
		}
	}
	return ""
}

// args wraps cobra's argument checks so that they count as usage errors.
func args(check cobra.PositionalArgs) cobra.PositionalArgs {
	return func(c *cobra.Command, a []string) error {
		if err := check(c, a); err != nil {
			return usageError{err}
		}
		return nil
	}
}

// group makes a command that only holds others.
func group(use, short string, subs ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: args(cobra.NoArgs), RunE: func(c *cobra.Command, _ []string) error {
		return usageError{fmt.Errorf("%s needs one of its own commands", c.CommandPath())}
	}}
	c.AddCommand(subs...)
	return c
}
