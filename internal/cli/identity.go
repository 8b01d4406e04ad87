package cli

import (
	"fmt"
	"io"
	"net/url"

	"github.com/spf13/cobra"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// waysInWords are the ways of knowing people, as sentences say them.
var waysInWords = map[estate.UserFrom]string{estate.FromSystem: "the system's name alone",
	estate.SystemUnlessUnknown: "the system's name, or asked where it is unknown", estate.FromAsking: "always asked"}

func identityCommand(r *root) *cobra.Command {
	var login string
	c := &cobra.Command{Use: "identity MACHINE", Short: "Whom the agent of a machine would take somebody for who signs " +
		"in there", Long: "Tries a sign-in name at a machine by each way of knowing people (settings.agents.user_from), " +
		"without anybody signing in; the machine need not have reported. Without --login it tries those who are signed in.",
		Args: cmdline.Args(1, 1)}
	c.RunE = func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		all, err := apiclient.List[endpoint.Identity](c.Context(), client, apiclient.Path("/api/v1/endpoints", a[0])+
			"/identities", url.Values{"login": {login}})
		if err != nil {
			return err
		}
		return r.print(c, all, func(w io.Writer) {
			for i, id := range all {
				if i == 0 {
					fmt.Fprintf(w, "%s %s, and %s.\n", id.Machine, listedInWords(id), map[bool]string{true: "its agent has reported",
						false: "no agent of it has reported yet"}[id.Heard])
				}
				fmt.Fprintf(w, "\nSigned in as %s:\n", id.Login)
				t := r.table("PEOPLE ARE KNOWN BY", "ASKS FOR", "KNOWN", "SO")
				for _, way := range id.Ways {
					by := waysInWords[way.UserFrom]
					if way.Set {
						by += " (set)"
					}
					t.add(by, first(way.User, "nobody yet"), map[bool]string{true: "yes", false: "no"}[way.Known], way.Says)
				}
				t.write(w)
			}
		})
	}
	c.Flags().StringVar(&login, "login", "", "a sign-in name, as the operating system has it")
	return c
}

// listedInWords says what a directory has of a machine.
func listedInWords(id endpoint.Identity) string {
	switch {
	case !id.Listed:
		return "is in no directory here: grants to units and groups of machines do not count there"
	case id.Unit == "":
		return "is in the directory"
	}
	return "is in the directory, in " + id.Unit
}
