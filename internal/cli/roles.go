package cli

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

const (
	accountsPath = "/api/v1/accounts"
	rulesPath    = "/api/v1/access-rules"
)

// holdingFlags are --role and --site.
func holdingFlags(c *cobra.Command, h *access.Holding) {
	c.Flags().StringVar((*string)(&h.Role), "role", "", "owner, administrator, site-administrator, help-desk, "+
		"auditor or person")
	c.Flags().StringSliceVar(&h.Sites, "site", nil, "where what it does must lie; may be given several times, "+
		"everywhere when absent")
	_ = c.MarkFlagRequired("role")
}

// where says for which sites a role holds.
func where(sites []string) string {
	if len(sites) == 0 {
		return "all"
	}
	return strings.Join(sites, ", ")
}

// scope says it in a sentence.
func scope(sites []string) string {
	if len(sites) == 0 {
		return ""
	}
	return " for " + strings.Join(sites, ", ")
}

func accountListCommand(r *root) *cobra.Command {
	return ask(r, "list", "Accounts with their roles; of a directory's, those that have signed in", cmdline.Args(0, 0),
		items[access.Account](fixed(accountsPath)), func(w io.Writer, list []access.Account) {
			t := r.table("ACCOUNT", "ROLE", "SITES", "SIGNS IN WITH", "MADE")
			for _, a := range list {
				role, sites := string(a.Role), where(a.Sites)
				if role == "" {
					role, sites = "none: not in the directory", ""
				}
				t.add(a.Name, role, sites, signsInWith(a), r.zone().Day(a.CreatedAt))
			}
			t.write(w)
		})
}

func accountAddCommand(r *root) *cobra.Command {
	var h access.Holding
	c := &cobra.Command{Use: "add NAME --role ROLE [--site S]", Short: "Make a local account; its password is asked for",
		Args: cmdline.Args(1, 1),
		Long: `Make a local account. Its password is asked for twice at a terminal, or read from standard input.

  owner               everything, and who may do what
  administrator       everything but accounts, and erasing people's data
  site-administrator  edits what lies at its sites; reads all
  help-desk           reads, explains, has endpoints report, sends test pages
  auditor             reads all, the audit too
  person              its own lineup

--site narrows what a role does, never what it reads.`,
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			password, err := newPassword(c, a[0])
			if err != nil {
				return err
			}
			made, err := apiclient.Post[access.Account](c.Context(), client, accountsPath, api.NewAccount{Name: a[0],
				Password: password, Role: h.Role, Sites: h.Sites})
			if err != nil {
				return err
			}
			return r.print(c, made, func(w io.Writer) {
				fmt.Fprintf(w, "%s may sign in as %s%s.\n", made.Name, made.Role, scope(made.Sites))
			})
		}}
	holdingFlags(c, &h)
	return c
}

func accountRoleCommand(r *root) *cobra.Command {
	var h access.Holding
	c := ask(r, "role NAME --role ROLE [--site S]", "Give a local account another role", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (made access.Account, err error) {
			return made, client.Do(c.Context(), "PUT", apiclient.Path(accountsPath, a[0])+"/role", nil, api.NewRole{Role: h.Role,
				Sites: h.Sites}, &made)
		}, func(w io.Writer, a access.Account) {
			fmt.Fprintf(w, "%s is %s%s now.\n", a.Name, a.Role, scope(a.Sites))
		})
	holdingFlags(c, &h)
	return c
}

func accountRemoveCommand(r *root) *cobra.Command {
	return done(r, "remove NAME", "End an account, with its sessions and own tokens", cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) error {
			return client.Do(c.Context(), "DELETE", apiclient.Path(accountsPath, a[0]), nil, nil, nil)
		}, func(a []string) string { return "The account " + a[0] + " is gone, with its sessions and own tokens." })
}

func accountRulesCommand(r *root) *cobra.Command {
	return ask(r, "rules", "Which people of a directory sign in with which role", cmdline.Args(0, 0),
		items[access.Rule](fixed(rulesPath)), func(w io.Writer, list []access.Rule) {
			if len(list) == 0 {
				fmt.Fprintln(w, "No rule gives anybody of a directory a role. Whoever signs in through one is a person: their own "+
					"lineup.\nTo give a role: cirque account allow group:NAME --role help-desk")
				return
			}
			t := r.table("ID", "WHO", "OF", "PEOPLE", "ROLE", "SITES", "BY", "SINCE")
			for _, v := range list {
				t.add(fmt.Sprint(v.ID), v.Who, cmp.Or(v.Source, "unknown"), fmt.Sprint(v.People), string(v.Role),
					where(v.Sites), v.Author,
					r.zone().Day(v.At))
			}
			t.write(w)
			if slices.ContainsFunc(list, func(v access.Rule) bool { return v.Source == "" }) {
				fmt.Fprintln(w, "\nA rule of an unknown directory is from before rules named theirs, and holds for "+
					"nobody. End it with\n"+
					"cirque account disallow ID, and give it again: cirque account allow WHO --source NAME --role ROLE")
			}
		})
}

func accountAllowCommand(r *root) *cobra.Command {
	var h access.Holding
	var source string
	c := ask(r, "allow WHO --role ROLE [--source NAME] [--site S]", "Let people of a directory sign in with a role",
		cmdline.Args(1, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) (access.Rule, error) {
			return apiclient.Post[access.Rule](c.Context(), client, rulesPath, api.NewRule{Who: a[0], Source: source,
				Role: h.Role, Sites: h.Sites})
		}, func(w io.Writer, v access.Rule) {
			fmt.Fprintf(w, "%s of %s may sign in as %s%s: %s now. To end it: cirque account disallow %d\n", v.Who, v.Source,
				v.Role, scope(v.Sites), words.Count(v.People, "person"), v.ID)
			if v.People == 0 {
				fmt.Fprintln(w, "Nobody is that now; check the name: cirque directory find")
			}
		})
	c.Long = `Let people of a directory sign in with a role, by everyone, user:NAME, group:NAME or unit:PATH. It
holds for the people of one directory, whose people may sign in: cirque directory source add NAME ...
--sign-in. Where several may, --source says which; nobody of another can hold it, whatever they are called.
Several rules add up. Whoever leaves the group loses the role with the directory's next pass.`
	holdingFlags(c, &h)
	c.Flags().StringVar(&source, "source", "", "the directory that it is about; needed where the people of several may "+
		"sign in")
	return c
}

func accountDisallowCommand(r *root) *cobra.Command {
	return done(r, "disallow ID", "End an access rule", cmdline.Args(1, 1), func(c *cobra.Command,
		client *apiclient.Client, a []string) error {
		if _, err := strconv.ParseInt(a[0], 10, 64); err != nil {
			return usagef("%q is no number of a rule; see cirque account rules", a[0])
		}
		return client.Do(c.Context(), "DELETE", apiclient.Path(rulesPath, a[0]), nil, nil, nil)
	}, func(a []string) string { return "The access rule " + a[0] + " is gone." })
}

func accountPasswordCommand(r *root) *cobra.Command {
	return done(r, "password", "Change the password of one's own account; its sessions end", cmdline.Args(0, 0),
		func(c *cobra.Command, client *apiclient.Client, _ []string) error {
			me, err := apiclient.Get[api.Me](c.Context(), client, "/api/v1/session", nil)
			if err != nil {
				return err
			}
			old, err := readSecret(c, "Present password of "+me.Name+": ")
			if err != nil {
				return err
			}
			password, err := newPassword(c, me.Name)
			if err != nil {
				return err
			}
			return client.Do(c.Context(), "PUT", "/api/v1/session/password", nil, api.NewPassword{Old: old, New: password}, nil)
		}, func([]string) string {
			return "The password is changed, and the console's sessions are over. Tokens stay."
		})
}
