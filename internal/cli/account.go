package cli

import (
	"fmt"
	"io"
	"os"
	"strconv"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func accountCommand(r *root) *cobra.Command {
	var o ServeOptions
	reset := &cobra.Command{Use: "reset NAME --data DIR", Short: "Give an account a new password, beside the data",
		Args: cmdline.Args(1, 1),
		Long: `Give an account a new password, beside the data: for whoever has lost the last one and may read the
data directory. The service may run or not. The password is asked for twice at a terminal, or read
from standard input. The account's console sessions end; its tokens stay.`,
		RunE: func(c *cobra.Command, a []string) error {
			if o.Data == "" && o.Database == "" {
				return usagef("say where the data is, with --data")
			}
			password, err := newPassword(c, a[0])
			if err != nil {
				return err
			}
			made, err := r.local.ResetAccount(c.Context(), o, a[0], password)
			return r.besides(c, a, err, made != "", fmt.Sprintf("%s has a new password; whoever was signed in as %s no "+
				"longer is. "+
				"Tokens stay: cirque token list", made, made))
		}}
	besideFlags(reset, &o)
	sessions := ask(r, "sessions", "The console sessions that are open; one's own for whoever may not see all",
		cmdline.Args(0, 0),
		items[access.Session](fixed("/api/v1/sessions")), func(w io.Writer, list []access.Session) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Nobody is signed in at the console.")
				return
			}
			t := r.table("ID", "ACCOUNT", "FROM", "SIGNED IN", "USED", "UNTIL")
			for _, s := range list {
				t.add(fmt.Sprint(s.ID), s.Account, s.Remote, ago(s.CreatedAt, time.Now()), ago(s.UsedAt, time.Now()),
					r.zone().At(s.ExpiresAt))
			}
			t.write(w)
		})
	end := done(r, "end-session ID", "End a console session: one's own, or anybody's", cmdline.Args(1, 1),
		func(c *cobra.Command,
			client *apiclient.Client, a []string) error {
			if _, err := strconv.ParseInt(a[0], 10, 64); err != nil {
				return usagef("%q is no number of a session; see cirque account sessions", a[0])
			}
			return client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/sessions", a[0]), nil, nil, nil)
		}, func(a []string) string { return "The session " + a[0] + " is over." })
	return cmdline.Group("account", "Accounts of people who sign in, and who may do what", accountListCommand(r),
		accountAddCommand(r),
		accountRoleCommand(r), accountRemoveCommand(r), accountRulesCommand(r), accountAllowCommand(r),
		accountDisallowCommand(r), accountPasswordCommand(r),
		accountForgetFactorsCommand(r), accountEmergencyCommand(r), sessions, end, reset)
}

// newPassword asks for a password, twice at a terminal.
func newPassword(c *cobra.Command, called string) (string, error) {
	password, err := readSecret(c, "New password for "+called+": ")
	if err != nil {
		return "", err
	}
	if f, ok := c.InOrStdin().(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		again, err := readSecret(c, "Once more: ")
		if err != nil {
			return "", err
		}
		if again != password {
			return "", fault.New(fault.Invalid, "passwords-differ", "try again", "the two are not the same")
		}
	}
	return password, nil
}
