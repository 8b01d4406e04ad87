package agentcli

import (
	"bufio"
	"cmp"
	"context"
	"fmt"
	"os"
	"os/user"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"cirque/core/fault"
	"cirque/internal/agent"
	"cirque/internal/cmdline"
)

// place is where an agent keeps what it knows: by --state, else where that of its spooler does.
type place struct{ spooler, state string }

func (at *place) flags(c *cobra.Command) {
	spoolerFlag(c, &at.spooler)
	c.Flags().StringVar(&at.state, "state", "", "where the agent keeps what it knows; when absent DIR/.agent of a "+
		"stand-in, else "+agent.DefaultState())
}

func (at *place) open() (state string, m agent.Machine, err error) {
	o, err := agent.Open(at.spooler)
	return cmp.Or(at.state, o.State), o.Machine, err
}

func enrol(p *printer) *cobra.Command {
	var at place
	var service, token, tokenFile, caFile, machine string
	var pair bool
	c := &cobra.Command{Use: "enrol --service URL (--token-file FILE | --pair)", Short: "Enrol this machine: " +
		"make a key, and have it certified", Args: cmdline.Args(0, 0),
		Long: `Enrol this machine with an enrolment token, which an administrator makes: cirque enrol token NAME. A
key is made here and never leaves the machine; the service certifies it, and from then on
cirque-agent run needs neither token nor address. The token also says by which authority the service
is known; with --ca that one counts instead.

With --pair no token is needed: the machine shows a code of eight characters, and somebody who may let
machines in types it, at the console under Endpoints, Enrolment, or with cirque enrol pair. The code
is worked out from the machine's key and the service's authority by both sides, so that it is found
nowhere when somebody stands between.`,
		RunE: func(c *cobra.Command, _ []string) error {
			state, m, err := at.open()
			if err != nil {
				return err
			}
			if tokenFile != "" {
				if token, err = agent.ReadSecret(tokenFile, c.InOrStdin()); err != nil {
					return err
				}
			}
			if token == "" && !pair {
				return &cmdline.Usage{What: "name the file of the enrolment token with --token-file, or - for standard input",
					Fix: "an administrator makes one: cirque enrol token NAME; without one: --pair"}
			}
			var ca []byte
			if caFile != "" {
				if ca, err = os.ReadFile(caFile); err != nil {
					return unreadable("authority", caFile, err)
				}
			}
			facts, err := m.Facts(c.Context())
			if err != nil {
				return err
			}
			facts.Machine = cmp.Or(machine, facts.Machine)
			var id agent.Identity
			if pair {
				id, err = agent.Pair(c.Context(), service, state, ca, facts, showCode(c))
			} else {
				id, err = agent.Enrol(c.Context(), service, token, state, ca, facts)
			}
			if err != nil {
				return err
			}
			_, until, err := id.Lasts()
			if err != nil {
				return err
			}
			return p.say(c, "%s is enrolled at %s, until %s; it renews by itself.", id.Machine, id.Service,
				cmdline.Zone{Location: time.Local}.Day(until))
		}}
	at.flags(c)
	f := c.Flags()
	f.StringVar(&service, "service", "", "the service's address")
	f.StringVar(&token, "token", "", "the enrolment token")
	_ = f.MarkDeprecated("token", "everybody on this machine sees it in the list of processes: use --token-file, or "+
		"--token-file - and standard input")
	f.StringVar(&tokenFile, "token-file", "", "a file that holds the enrolment token, which nobody else may read; - for "+
		"standard input")
	f.StringVar(&caFile, "ca", "", "the authority of the service's certificate, a PEM file, instead of what "+
		"the token says")
	f.StringVar(&machine, "machine", "", "the machine's name, where it is another than the system's")
	f.BoolVar(&pair, "pair", false, "without a token: show a code, and wait until somebody who may has typed it")
	c.MarkFlagsMutuallyExclusive("pair", "token-file")
	c.MarkFlagsMutuallyExclusive("pair", "token")
	_ = c.MarkFlagRequired("service")
	return c
}

// showCode shows the code of a machine to whoever sits there; what the command is asked for is written afterwards.
func showCode(c *cobra.Command) func(string, time.Time) {
	return func(code string, until time.Time) {
		fmt.Fprintf(c.ErrOrStderr(), "The code of this machine is\n\n    %s\n\nuntil %s. Whoever may let machines in "+
			"types it, in the console under Endpoints, Enrolment, or:\n\n  cirque enrol pair %[1]s\n\nWaiting; Ctrl-C ends "+
			"it.\n",
			code, until.Local().Format("15:04"))
	}
}

func sayWho(p *printer) *cobra.Command {
	var at place
	var login, name string
	var forget bool
	c := &cobra.Command{Use: "say-who", Short: "Say who you are, where the machine does not know",
		Args: cmdline.Args(0, 0),
		Long: `Say who you are, with the name and password of your account here: for machines whose sign-in names
nobody here knows, or that do not tell. The password goes to the service alone and is kept nowhere.
Asked are name and password at a terminal; else the password is read from standard input, with
--name.`,
		RunE: func(c *cobra.Command, _ []string) error {
			state, _, err := at.open()
			if err != nil {
				return err
			}
			if login == "" {
				u, err := user.Current()
				if err != nil {
					return err
				}
				login = u.Username
			}
			r, err := agent.ReachBy(state)
			if err != nil {
				return err
			}
			if forget {
				if err := r.Forget(login); err != nil {
					return err
				}
				return p.say(c, "Whoever is signed in as %s is nobody in particular again.", login)
			}
			notice, asked, err := r.Notice(c.Context(), login)
			if err != nil {
				return err
			}
			if !asked {
				return fault.New(fault.Conflict, "name-known", "", "nobody need say who %s is: the name is known, or the system's "+
					"name counts", login)
			}
			if notice != "" {
				fmt.Fprintln(c.ErrOrStderr(), notice)
			}
			name, password, err := askNameAndPassword(c, name)
			if err != nil {
				return err
			}
			user, err := r.SayWho(c.Context(), login, name, password)
			if err != nil {
				return err
			}
			return p.say(c, "You are %s here. Your queues follow in a moment.", user)
		}}
	at.flags(c)
	c.Flags().StringVar(&login, "login", "", "the system's sign-in name; your own when absent")
	c.Flags().BoolVar(&forget, "forget", false, "take back what was said, before somebody else sits there")
	c.Flags().StringVar(&name, "name", "", "the name of your account; asked for when absent")
	return c
}

func askNameAndPassword(c *cobra.Command, name string) (string, string, error) {
	in, ok := c.InOrStdin().(*os.File)
	if !ok || !term.IsTerminal(int(in.Fd())) {
		password, err := bufio.NewReader(c.InOrStdin()).ReadString('\n')
		if password = strings.TrimRight(password, "\r\n"); password == "" && err != nil || name == "" {
			return "", "", &cmdline.Usage{What: "give the account with --name, and its password as a line of standard input"}
		}
		return name, password, nil
	}
	if name == "" {
		fmt.Fprint(c.ErrOrStderr(), "Name: ")
		if _, err := fmt.Fscanln(in, &name); err != nil {
			return "", "", err
		}
	}
	fmt.Fprint(c.ErrOrStderr(), "Password: ")
	b, err := term.ReadPassword(int(in.Fd()))
	fmt.Fprintln(c.ErrOrStderr())
	return strings.TrimSpace(name), string(b), err
}

func status(p *printer) *cobra.Command {
	var at place
	c := &cobra.Command{Use: "status", Short: "How this machine stands: enrolled where, who its people are, " +
		"what they have and why not", Args: cmdline.Args(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			state, m, err := at.open()
			if err != nil {
				return err
			}
			ctx, cancel := context.WithTimeout(c.Context(), 30*time.Second)
			defer cancel()
			lines, err := agent.Status(ctx, state, m)
			if perr := p.list(c, lines); err == nil {
				err = perr
			}
			return err
		}}
	at.flags(c)
	return c
}
