package cli

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/internal/apiclient"
)

func (r *root) tokenList() *cobra.Command {
	return &cobra.Command{Use: "list", Short: "List tokens", Args: args(cobra.NoArgs), RunE: func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		list, err := apiclient.Get[[]access.Token](c.Context(), client, "/api/v1/tokens", nil)
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) {
			t := r.table("NAME", "ROLE", "MACHINE", "MADE BY", "MADE", "LAST USED")
			for _, k := range list {
				used := "never"
				if k.UsedAt != nil {
					used = ago(*k.UsedAt, time.Now())
				}
				t.add(k.Name, string(k.Role), k.Machine, k.Author, k.CreatedAt.Local().Format(time.DateOnly), used)
			}
			t.write(w)
		})
	}}
}

func (r *root) tokenRevoke() *cobra.Command {
	return &cobra.Command{Use: "revoke NAME", Short: "Revoke a token", Args: args(cobra.ExactArgs(1)), RunE: func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		if err := client.Do(c.Context(), "DELETE", apiclient.Path("/api/v1/tokens", a[0]), nil, nil, nil); err != nil {
			return err
		}
		_, err = fmt.Fprintf(c.OutOrStdout(), "The token %s is revoked.\n", a[0])
		return err
	}}
}
