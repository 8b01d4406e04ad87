package cli

import (
	"io"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func tokenListCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List tokens", Args: cmdline.Args(0, 0), RunE: func(c *cobra.Command,
		_ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		list, err := apiclient.List[access.Token](c.Context(), client, "/api/v1/tokens", nil)
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) {
			t := r.table("NAME", "ROLE", "FOR", "MADE BY", "MADE", "LAST USED", "ENDS")
			for _, k := range list {
				used := "never"
				if k.UsedAt != nil {
					used = ago(*k.UsedAt, time.Now())
				}
				ends := ""
				if k.ExpiresAt != nil {
					ends = r.zone().Day(*k.ExpiresAt)
					if k.Ended(time.Now()) {
						ends += ", over"
					}
				}
				role, scope := string(k.Role), k.Machine
				switch {
				case k.Account != "":
					role, scope = "its own", k.Account
				case k.Role != access.Agent:
					scope = where(k.Sites)
				}
				t.add(k.Name, role, scope, k.Author, r.zone().Day(k.CreatedAt), used, ends)
			}
			t.write(w)
		})
	}}
}

func tokenRenewCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "renew NAME", Short: "Give a token another secret and print it, and nothing else",
		Long: `Give a token another secret and print it, and nothing else: where the first was lost, or may have been
seen. The old one ends at once. A token of somebody's own is renewed by them alone.`,
		Args: cmdline.Args(1, 1), RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			made, err := apiclient.Post[api.MadeToken](c.Context(), client, apiclient.Path("/api/v1/tokens", a[0])+"/secret",
				nil)
			if err != nil {
				return err
			}
			return r.secret(c, made)
		}}
}

func tokenRevokeCommand(r *root) *cobra.Command {
	return &cobra.Command{Use: "revoke NAME", Short: "Revoke a token", Args: cmdline.Args(1, 1),
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			if err := client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/tokens", a[0]), nil, nil, nil); err != nil {
				return err
			}
			return r.say(c, a, "The token %s is revoked.", a[0])
		}}
}
