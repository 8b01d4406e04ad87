package cli

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func (o ServeOptions) check() error {
	for flag, d := range map[string]time.Duration{"--servers-every": o.ServersEvery, "--devices-every": o.DevicesEvery} {
		if d != 0 && d < 10*time.Second {
			return usagef("%s %s is too often: 10s at least", flag, d)
		}
	}
	if o.ProxyProtocol && len(o.Proxies) == 0 {
		return usagef("--proxy-protocol needs --trusted-proxies: nobody else is believed")
	}
	if o.PerAddress < 0 {
		return usagef("--connections-per-address %d is no number of connections", o.PerAddress)
	}
	if o.LogFormat != "text" && o.LogFormat != "json" {
		return usagef("%q is no way to log: text or json", o.LogFormat)
	}
	return nil
}

func serveFlags(c *cobra.Command, o *ServeOptions) {
	f := c.Flags()
	f.StringVar(&o.Data, "data", "", "the data directory; made when it is not there")
	f.StringVar(&o.Listen, "listen", "127.0.0.1:8631", "where to listen, HOST:PORT")
	f.BoolVar(&o.Verbose, "verbose", false, "log every request")
	f.StringVar(&o.LogFormat, "log", "text", "how to log: text or json")
	f.StringVar(&o.LogFile, "log-file", "", "where to log, in place of standard error; opened anew at SIGHUP")
}

func serveCommand(r *root) *cobra.Command {
	var o ServeOptions
	c := &cobra.Command{Use: "serve --data DIR | --config FILE", Short: "Run the service", Args: cmdline.Args(0, 0),
		Long: `Run the service. Without --database it runs a PostgreSQL server of its own in DIR, reachable through
a socket only. With --config the flags stand in a file, by their names: the packages start it so.

TLS is by --tls-cert and --tls-key, or by a certificate of Cirque's own authority, whose certificate
is DIR/ca/ca.pem. At the first start a one-time code for the console's first account is written to
DIR/setup-code.

SIGHUP reads certificate and key, the secret key and the log's file anew; SIGTERM ends it within
seconds.`,
		RunE: func(c *cobra.Command, _ []string) error {
			if o.Data == "" {
				return usagef("--data is missing: the data directory, or a settings file that names it with --config")
			}
			if err := o.check(); err != nil {
				return err
			}
			return r.local.Serve(c.Context(), o, c.OutOrStdout())
		}}
	settingsOf(c, &o)
	return c
}

// settingsOf are all that the service can be told, by flags or in a settings file.
func settingsOf(c *cobra.Command, o *ServeOptions) {
	serveFlags(c, o)
	configFlag(c)
	f := c.Flags()
	f.StringVar(&o.Database, "database", "", "the URL of an existing PostgreSQL database")
	f.StringVar(&o.Spool, "spool", "", "where documents of jobs are kept, enciphered: a directory, which several "+
		"services "+
		"on one database share, or database; DATA/spool when absent, or the database where that is an existing one")
	f.StringVar(&o.TLSCert, "tls-cert", "", "a certificate, PEM")
	f.StringVar(&o.TLSKey, "tls-key", "", "its key, PEM")
	f.StringVar(&o.PublicURL, "public-url", "", "the address by which others reach the service, such as "+
		"https://cirque.example:8631; where it listens when absent")
	f.BoolVar(&o.PlainHTTP, "plain-http", false, "no TLS; on loopback only")
	f.Var((*prefixes)(&o.Proxies), "trusted-proxies", "balancers and proxies that tell from whom a request comes, by "+
		"Forwarded or X-Forwarded-For: addresses or networks, such as 10.0.0.5,10.0.1.0/24")
	f.Var((*prefixes)(&o.AllowOutgoing), "allow-outgoing", "networks that are connected to though they are this "+
		"machine's "+
		"own or link-local, such as 127.0.0.0/8 where printers are stand-ins")
	f.BoolVar(&o.ProxyProtocol, "proxy-protocol", false, "the trusted proxies pass connections through, and begin "+
		"each with "+
		"a header of the PROXY protocol")
	f.IntVar(&o.PerAddress, "connections-per-address", 0, "how many connections one address may have on which nobody has "+
		"signed in; 256 is usual")
	f.StringVar(&o.AddressTable, "address-table", "", "a YAML file that leads printers' addresses elsewhere, "+
		"for stand-ins")
	f.Var((*cmdline.Span)(&o.ServersEvery), "servers-every", "how often print servers are read; 5m when absent")
	f.Var((*cmdline.Span)(&o.DevicesEvery), "devices-every", "how often devices are questioned; 15m when absent")
}

func demoCommand(r *root) *cobra.Command {
	var o ServeOptions
	c := &cobra.Command{Use: "demo --data DIR", Short: "Run the service with the demo: Skerry Line, stand-in printers " +
		"and four agents", Args: cmdline.Args(0, 0),
		Long: `Run the service on loopback with the demo estate of Skerry Line, an invented ferry company, its
stand-in printers and four agents. DIR/demo.env holds the address, a token and the console's
sign-in, for scripts:

  set -a; . DIR/demo.env; cirque lineup --user mira.solvang --machine till-07`,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := o.check(); err != nil {
				return err
			}
			return r.local.Demo(c.Context(), o, c.OutOrStdout())
		}}
	serveFlags(c, &o)
	_ = c.MarkFlagRequired("data")
	c.AddCommand(storyCommand(r))
	return c
}

// storyCommand plays a morning on a demo that runs.
func storyCommand(r *root) *cobra.Command {
	var o StoryOptions
	var straight bool
	c := &cobra.Command{Use: "story", Short: "Play a morning on a demo that runs, and say what to look at",
		Args: cmdline.Args(0, 0),
		Long: `Play a morning at Skerry Line on a demo that runs (make demo): a clerk works in another building, a
server is drained, the line to an island is cut, a grant is rehearsed and published, a printer is
exchanged. At each step it is said what to look at in the console; at a terminal Enter goes on and q
ends. Whatever it does is put back at the end, also where it is broken off.`}
	c.RunE = func(c *cobra.Command, _ []string) error {
		if o.Out = c.OutOrStdout(); atTerminal(c) && !straight {
			in := bufio.NewReader(c.InOrStdin())
			o.Next = func(context.Context) bool {
				fmt.Fprint(o.Out, "\nEnter goes on, q ends: ")
				line, err := in.ReadString('\n')
				return err == nil && strings.TrimSpace(line) != "q"
			}
		}
		return r.local.Story(c.Context(), o)
	}
	c.Flags().StringVar(&o.Data, "data", ".demo", "where the demo keeps its data")
	c.Flags().BoolVar(&straight, "at-once", false, "do not wait between steps")
	return c
}

func versionCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "version", Short: "Print the version", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			return r.print(c, map[string]string{"version": r.local.Version}, func(w io.Writer) {
				fmt.Fprintln(w, "cirque "+r.local.Version)
			})
		}}
}

// tokenByPassword signs in as a person and makes a token for this machine.
func (r *root) tokenByPassword(c *cobra.Command, url, name string, pem []byte) (token, called string, err error) {
	client, err := apiclient.New(url, "", pem)
	if err != nil {
		return "", "", err
	}
	if me, err := apiclient.Get[api.Me](c.Context(), client, "/api/v1/session", nil); err == nil && me.Notice != "" {
		fmt.Fprintf(c.ErrOrStderr(), "%s\n\n", me.Notice)
	}
	password, err := readSecret(c, "Password: ")
	if err != nil {
		return "", "", err
	}
	me, err := apiclient.Post[api.Me](c.Context(), client, "/api/v1/session", api.SignIn{Name: name, Password: password})
	if err != nil {
		return "", "", err
	}
	if err := secondStep(c, client, name, me.Second); err != nil {
		return "", "", err
	}
	host, _ := os.Hostname()
	label := fmt.Sprintf("%s at %s, command line", name, first(host, "this machine"))
	// A former token of this name is of no use any more: its secret was kept here.
	_ = client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/tokens", label), nil, nil, nil)
	made, err := apiclient.Post[api.MadeToken](c.Context(), client, "/api/v1/session/tokens", api.NewOwnToken{Name: label})
	if err != nil {
		return "", "", err
	}
	return made.Secret, label, client.Do(c.Context(), "DELETE", "/api/v1/session", nil, nil, nil)
}

func (r *root) givenToken(c *cobra.Command) (string, error) {
	if r.token != "" {
		return r.tokenFile()
	}
	if t := r.env("CIRQUE_TOKEN"); t != "" {
		return t, nil
	}
	return readSecret(c, "Token: ")
}

// readSecret reads a line without showing it where the input is a terminal.
func readSecret(c *cobra.Command, prompt string) (string, error) {
	if f, ok := c.InOrStdin().(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(c.ErrOrStderr(), prompt)
		b, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(c.ErrOrStderr())
		return strings.TrimSpace(string(b)), err
	}
	var line []byte
	one := make([]byte, 1)
	for len(line) < 4096 {
		n, err := c.InOrStdin().Read(one)
		if n == 1 && one[0] == '\n' || err != nil {
			break
		}
		line = append(line, one[:n]...)
	}
	if s := strings.TrimSpace(string(line)); s != "" {
		return s, nil
	}
	return "", fault.New(fault.Invalid, "no-secret", "type it, or write it to standard input",
		"no password or token was given")
}

func tokenCommand(r *root) *cobra.Command {
	return cmdline.Group("token", "Make, list, renew and revoke tokens", tokenCreateCommand(r), tokenListCommand(r),
		tokenRenewCommand(r), tokenRevokeCommand(r))
}

// heard is what became of a change beside a running service. Where that has not said that it knows it, this is a
// warning: it will within seconds.
func (r *screen) heard(err error, done bool) error {
	if f := fault.As(err); f != nil && (!done || f.Code != "not-heard") {
		return err
	} else if f != nil {
		fmt.Fprintf(r.err, "cirque: %s; %s\n", f.What, f.Fix)
	}
	return nil
}

// besides tells what was done beside a running service.
func (r *root) besides(c *cobra.Command, of []string, err error, done bool, says string) error {
	if err := r.heard(err, done); err != nil {
		return err
	}
	return r.say(c, of, "%s", says)
}

// secret prints a token's secret, and nothing else.
func (r *screen) secret(c *cobra.Command, made api.MadeToken) error {
	return r.print(c, made, func(w io.Writer) { fmt.Fprintln(w, made.Secret) })
}

// besideFlags are those of what is done in the data directory, while the service runs or not.
func besideFlags(c *cobra.Command, o *ServeOptions) {
	c.Flags().StringVar(&o.Data, "data", "", "the service's data directory")
	c.Flags().StringVar(&o.Database, "database", "", "the URL of the service's database, where it is not in --data")
	configFlag(c, "data", "database")
}

func tokenCreateCommand(r *root) *cobra.Command {
	var o ServeOptions
	var name, role, machine string
	expires := cmdline.Moment{Ahead: true}
	var sites []string
	c := &cobra.Command{Use: "create --name N [--role agent --machine M]", Short: "Make a token and print it, and " +
		"nothing else", Args: cmdline.Args(0, 0),
		Long: `Make a token and print it, and nothing else. It is shown this once.

With --data it is made beside the data, which needs no sign-in; else by the service.`,
		RunE: func(c *cobra.Command, _ []string) error {
			end := r.timeOf(&expires)
			if o.Data != "" || o.Database != "" {
				want := access.Token{Name: name, Role: access.Role(role), Sites: sites, Machine: machine, ExpiresAt: end}
				secret, err := r.local.MakeToken(c.Context(), o, want)
				if err := r.heard(err, secret != ""); err != nil {
					return err
				}
				return r.secret(c, api.MadeToken{Token: want, Secret: secret})
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			made, err := apiclient.Post[api.MadeToken](c.Context(), client, "/api/v1/tokens", api.NewToken{Name: name,
				Role: access.Role(role), Sites: sites, Machine: machine, Expires: end})
			if err != nil {
				return err
			}
			return r.secret(c, made)
		}}
	f := c.Flags()
	f.StringVar(&name, "name", "", "what the token is called")
	f.StringVar(&role, "role", string(access.Administrator), "owner, administrator, site-administrator, help-desk, "+
		"auditor or agent")
	f.StringSliceVar(&sites, "site", nil, "where what it does must lie; may be given several times, everywhere "+
		"when absent")
	f.StringVar(&machine, "machine", "", "of an agent: the one machine that it is for")
	f.Var(&expires, "expires", "when it ends, such as 90d or 2027-01-01; never when absent")
	besideFlags(c, &o)
	_ = c.MarkFlagRequired("name")
	return c
}
