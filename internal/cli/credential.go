package cli

import (
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/stock"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func credentialCommand(r *root) *cobra.Command {
	list := ask(r, "list", "Stored keys, without their secrets", cmdline.Args(0, 0),
		items[stock.Credential](fixed("/api/v1/credentials")), func(w io.Writer, list []stock.Credential) {
			t := r.table("NAME", "KIND", "USER", "FOR", "STATE", "DETAIL", "ENTERED", "EXPIRES")
			for _, c := range list {
				expires := ""
				if c.Expires != nil {
					expires = r.zone().Day(*c.Expires)
					if left := time.Until(*c.Expires); left < 0 {
						expires += ", over"
					} else if left < stock.ExpiresSoon {
						expires += ", soon"
					}
				}
				t.add(c.Name, c.Kind, c.User, strings.Join(c.For, ", "), c.State, c.Says, ago(c.At, time.Now()), expires)
			}
			t.write(w)
		})
	var in api.NewCredential
	var file, privacyFile string
	expires := cmdline.Moment{Ahead: true}
	add := ask(r, "add NAME", "Store a key; its secret is read from a file or standard input, and tried at once",
		cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client, a []string) (stock.Credential, error) {
			in.Name = a[0]
			var err error
			if in.Secret, err = secretFrom(c, file); err != nil {
				return stock.Credential{}, err
			}
			if privacyFile != "" {
				if in.Privacy, err = secretFrom(c, privacyFile); err != nil {
					return stock.Credential{}, err
				}
			}
			in.Expires = r.timeOf(&expires)
			return apiclient.Post[stock.Credential](c.Context(), client, "/api/v1/credentials", in)
		}, func(w io.Writer, c stock.Credential) {
			fmt.Fprintf(w, "The key %s is stored: %s, %s.\n", c.Name, c.State, c.Says)
		})
	f := add.Flags()
	f.StringVar(&in.Kind, "kind", stock.SignIn, "sign-in, snmp (a community) or snmp-usm (a user with authentication "+
		"and privacy)")
	f.StringVar(&in.User, "login", "", "the `NAME` that goes with the secret")
	formerFlag(add, "user", "login")
	f.StringVar(&file, "secret-file", "-", "a file that holds the secret; - for standard input")
	f.StringVar(&privacyFile, "privacy-file", "", "a file that holds the privacy's key, of snmp-usm")
	f.StringSliceVar(&in.For, "for", nil, "what it is for: server:NAME, device:NAME, notice:NAME (its posts) or "+
		"mail; a host name for what is watched "+
		"there; of an SNMP community also addresses and networks; may be repeated")
	f.BoolVar(&in.Clear, "allow-clear", false, "send it without TLS too, where others can read it")
	f.StringVar(&in.Try, "try", "", "where to try it; something that is watched and fits when absent")
	f.Var(&expires, "expires", "when it ends, such as 90d or 2027-01-01")
	remove := done(r, "remove NAME", "Forget a key", cmdline.Args(1, 1), func(c *cobra.Command, client *apiclient.Client,
		a []string) error {
		return client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/credentials", a[0]), nil, nil, nil)
	}, func(a []string) string { return "The key " + a[0] + " is forgotten." })
	return cmdline.Group("credential", "Keys to servers and devices, kept sealed", list, add, remove)
}

func secretFrom(c *cobra.Command, file string) (string, error) {
	var b []byte
	var err error
	if file == "-" {
		b, err = io.ReadAll(io.LimitReader(c.InOrStdin(), 4096))
	} else {
		b, err = os.ReadFile(file)
	}
	if err != nil {
		return "", unreadable("", file, err)
	}
	return strings.TrimRight(string(b), "\r\n"), nil
}
