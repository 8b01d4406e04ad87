package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// secondStep asks for a second factor, where a sign-in wants one.
func secondStep(c *cobra.Command, client *apiclient.Client, name string, step *api.Step) error {
	if step == nil {
		return nil
	}
	if !slices.Contains(step.Ways, string(access.Code)) && !slices.Contains(step.Ways, string(access.Recovery)) {
		return fault.New(fault.Denied, "passkey-only", "make a token at the console, on the page Access, and give it: "+
			"cirque "+
			"sign-in URL, without --name", "%s signs in with a passkey, which a browser shows", name)
	}
	prompt := "One-time code (or a recovery code): "
	if !slices.Contains(step.Ways, string(access.Code)) {
		prompt = "Recovery code: "
	}
	code, err := readSecret(c, prompt)
	if err != nil {
		return err
	}
	_, err = apiclient.Post[api.Me](c.Context(), client, "/api/v1/session/second", api.Shown{Ticket: step.Ticket,
		Code: code})
	return err
}

func accountForgetFactorsCommand(r *root) *cobra.Command {
	var o ServeOptions
	c := &cobra.Command{Use: "forget-factors NAME [--data DIR]", Short: "Take away the second factors of somebody " +
		"who has " +
		"lost them", Args: cmdline.Args(1, 1),
		Long: `Take away all second factors of somebody who has lost them, with their recovery codes: their password
alone lets them in then, and their console sessions end. Where one is demanded of their role, they
are asked to set up another before anything else.

An owner does it; with --data whoever may read the data directory, while the service runs or not.`,
		RunE: func(c *cobra.Command, a []string) error {
			says := "%s signs in with the password alone now; whoever was signed in as %s no longer is."
			if o.Data != "" || o.Database != "" {
				made, err := r.local.ForgetFactors(c.Context(), o, a[0])
				return r.besides(c, a, err, made != "", fmt.Sprintf(says, made, made))
			}
			client, err := r.client()
			if err != nil {
				return err
			}
			if err := client.Do(c.Context(), "DELETE", apiclient.Path(accountsPath, a[0])+"/factors", nil, nil,
				nil); err != nil {
				return err
			}
			return r.print(c, struct{}{}, func(w io.Writer) { fmt.Fprintf(w, says+"\n", a[0], a[0]) })
		}}
	besideFlags(c, &o)
	return c
}

func accountEmergencyCommand(r *root) *cobra.Command {
	c := ask(r, "emergency", "Make the account for emergencies, or seal it anew", cmdline.Args(0, 0),
		func(c *cobra.Command, client *apiclient.Client, _ []string) (api.SealedEmergency, error) {
			return apiclient.Post[api.SealedEmergency](c.Context(), client, "/api/v1/emergency-account", nil)
		}, func(w io.Writer, v api.SealedEmergency) {
			fmt.Fprintf(w, "Name      %s\nPassword  %s\n\nWrite both down, put them into an envelope, seal it and lock "+
				"it away: "+
				"the password is shown this once.\n", v.Name, v.Password)
		})
	c.Long = `Make the account for emergencies, an owner that needs neither a directory nor a second factor, or give
it another password: for when nobody else gets in.

Its password is made up here and shown once. Whoever uses it is signed in for an hour, has no tokens,
and is heard of: in the audit, in the log, as a fault of which notices tell, and at the top of every
owner's and administrator's console, until an owner seals it anew with this command.`
	return c
}

// signsInWith says by what an account lets somebody in.
func signsInWith(a access.Account) string {
	var out []string
	switch {
	case a.Source != "":
		return "password in " + a.Source
	case a.Emergency && a.OpenedAt != nil:
		return "envelope, OPENED"
	case a.Emergency:
		return "envelope, sealed"
	}
	out = append(out, "password")
	switch {
	case a.Factors == 1:
		out = append(out, "1 second factor")
	case a.Factors > 1:
		out = append(out, fmt.Sprintf("%d second factors", a.Factors))
	case a.Owes:
		out = append(out, "second factor MISSING")
	}
	return strings.Join(out, ", ")
}
