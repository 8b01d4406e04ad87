package cli

import (
	"cmp"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/server"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const (
	enrolPath       = "/api/v1/enrolments"
	enrolTokensPath = "/api/v1/enrolment-tokens"
	pairPath        = "/api/v1/pairings"
)

func enrolCommand(r *root) *cobra.Command {
	return cmdline.Group("enrol", "Let endpoints enrol, and revoke them", enrolTokenCommand(r),
		enrolPackageCommand(r), enrolPairCommand(r), enrolTokensCommand(r), enrolEndCommand(r),
		enrolListCommand(r), enrolRevokeCommand(r))
}

func enrolTokenCommand(r *root) *cobra.Command {
	var want api.NewEnrolToken
	var keeps, next string
	expires := cmdline.Moment{Ahead: true}
	c := &cobra.Command{Use: "token NAME [--site S] [--uses N]", Short: "Make an enrolment token, and print it with the " +
		"command for the endpoint", Args: cmdline.Args(0, 1),
		Long: `Make an enrolment token, with which agents enrol their machines. It is shown this once; it also says
by which authority the service is known, so that the endpoint needs no file. The token alone is on
standard output, and what is said of it on standard error.

With --server it is for the one machine that is to keep that print server, by the estate's server of
that name, or else by the name itself; NAME may then be left out.`,
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			want.Expires = r.timeOf(&expires)
			if len(a) > 0 {
				want.Name = a[0]
			} else if keeps == "" {
				return usagef("name the token, or the print server with --server")
			}
			if keeps != "" {
				if want.Machine, next, err = keeperOf(c, client, keeps); err != nil {
					return err
				}
				want.Name = cmp.Or(want.Name, "server "+keeps)
			}
			made, err := apiclient.Post[api.MadeEnrolToken](c.Context(), client, enrolTokensPath, want)
			if err != nil {
				return err
			}
			return r.print(c, made, func(w io.Writer) {
				site := "any site"
				if made.Token.Site != "" {
					site = made.Token.Site
				}
				e := c.ErrOrStderr() // so that standard output holds the token alone
				fmt.Fprintf(e, "The enrolment token %s is for %s at %s, until %s. It is shown this once:\n", made.Token.Name,
					words.Count(made.Token.Uses, "machine"), site, r.zone().At(made.Token.ExpiresAt))
				fmt.Fprintln(w, made.Secret)
				service := cmp.Or(made.Service, client.URL())
				if keeps != "" {
					writeKeeping(e, service, made.Token.Machine, next)
					return
				}
				fmt.Fprintf(e, "\nOn the endpoint, with the token on standard input:\n\n  cirque-agent enrol --service %s "+
					"--token-file -\n", service)
			})
		}}
	f := c.Flags()
	f.StringVar(&want.Site, "site", "", "where the machines stand; any site when absent")
	f.StringVar(&keeps, "server", "", "for the machine that is to keep this print server")
	f.IntVar(&want.Uses, "uses", 1, "how many machines may enrol with it")
	f.Var(&expires, "expires", "when it ends, such as 30d or 2027-01-01; in a week when absent")
	return c
}

// keeperOf names the machine that keeps a server, by the estate's word for it, else by the name itself, and says what
// is to be done in the estate before it is kept.
func keeperOf(c *cobra.Command, client *apiclient.Client, called string) (machine, next string, err error) {
	v, err := apiclient.Get[server.Sheet](c.Context(), client, apiclient.Path(keptPath, called), nil)
	f := fault.As(err)
	switch {
	case err == nil && v.Server != "":
		return v.Machine, "", nil
	case err == nil || f.Code == "server-unknown":
		return called, fmt.Sprintf("cirque draft add server %s kept=yes uri=ipp://HOST:631/", called), nil
	case f.Code == "not-kept":
		return called, fmt.Sprintf("cirque draft set server %s kept=yes", called), nil
	}
	return "", "", err
}

// writeKeeping says what is to be done on a machine that is to keep a server.
func writeKeeping(w io.Writer, service, machine, next string) {
	fmt.Fprintf(w, "\nOn %s, as root, with the token on standard input:\n\n  cirque-agent enrol --service %s "+
		"--token-file - --machine %s\n  cirque-agent run --serve\n\n"+
		"Queues that are there are listed, and left. ", machine, service, machine)
	if next == "" {
		fmt.Fprintln(w, "What the estate says that it is to have it gets at once.")
		return
	}
	fmt.Fprintf(w, "What it is to have it gets as soon as this is published:\n\n  %s\n", next)
}

func enrolTokensCommand(r *root) *cobra.Command {
	return ask(r, "tokens", "Enrolment tokens, without their secrets", cmdline.Args(0, 0),
		items[access.EnrolToken](fixed(enrolTokensPath)), func(w io.Writer, list []access.EnrolToken) {
			if len(list) == 0 {
				fmt.Fprintln(w, "There is no enrolment token. To make one: cirque enrol token NAME")
				return
			}
			t := r.table("NAME", "SITE", "USED", "ENDS", "BY", "STATE")
			for _, v := range list {
				site, state := v.Site, v.Over(time.Now())
				if site == "" {
					site = "any"
				}
				if state == "" {
					state = "lets in"
				}
				t.add(v.Name, site, fmt.Sprintf("%d of %d", v.Used, v.Uses), r.zone().At(v.ExpiresAt),
					v.Author, state)
			}
			t.write(w)
		})
}

func enrolEndCommand(r *root) *cobra.Command {
	return done(r, "end-token NAME", "End an enrolment token; machines that enrolled with it stay", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "DELETE", apiclient.Path(enrolTokensPath, a[0]), nil, nil, nil)
		}, func(a []string) string {
			return "The enrolment token " + a[0] + " lets nobody in any more. Machines that enrolled with it stay."
		})
}

func enrolListCommand(r *root) *cobra.Command {
	return ask(r, "list", "Machines whose agents have certificates", cmdline.Args(0, 0),
		items[access.Enrolled](fixed(enrolPath)), func(w io.Writer, list []access.Enrolled) {
			if len(list) == 0 {
				fmt.Fprintln(w, "No machine is enrolled. Make a token, and run what it says on the endpoint: cirque "+
					"enrol token NAME")
				return
			}
			t := r.table("MACHINE", "SITE", "ENROLLED", "WITH", "CERTIFICATE UNTIL", "STATE")
			for _, e := range list {
				state := "good"
				switch {
				case e.RevokedAt != nil:
					state = "revoked by " + e.RevokedBy
				case time.Now().After(e.ExpiresAt):
					state = "ended"
				}
				t.add(e.Machine, e.Site, r.zone().Day(e.At), e.By, r.zone().Day(e.ExpiresAt), state)
			}
			t.write(w)
		})
}

func enrolRevokeCommand(r *root) *cobra.Command {
	return done(r, "revoke MACHINE", "Revoke a machine's certificates, at once", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) error {
		return client.Do(c.Context(), "DELETE", apiclient.Path(enrolPath, a[0]), nil, nil, nil)
	}, func(a []string) string {
		return a[0] + " is let in no more. What it has installed stays; it can be enrolled again with a new token."
	})
}
