package cli

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/access"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// How long it is waited for a machine that was let in, and how often it is looked.
const (
	pairWaits = 20 * time.Second
	pairLooks = 500 * time.Millisecond
)

func enrolPairCommand(r *root) *cobra.Command {
	var want api.LetIn
	c := &cobra.Command{Use: "pair CODE [--site S] [--machine NAME]", Short: "Let the machine in that shows a code",
		Args: cmdline.Args(1, 1),
		Long: `Let a machine in without a token: it shows a code of eight characters after

  cirque-agent enrol --service URL --pair

and waits for ten minutes. The code is worked out from its key and from the authority by which it knows
the service; where somebody stands between the two, it is found nowhere here.`,
		RunE: func(c *cobra.Command, a []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			path := apiclient.Path(pairPath, a[0])
			p, err := apiclient.Post[access.Pairing](c.Context(), client, path, want)
			if err != nil {
				return err
			}
			if p, err = paired(c.Context(), client, path, p); err != nil {
				return err
			}
			return r.print(c, p, func(w io.Writer) {
				if p.State != access.PairEnrolled {
					fmt.Fprintf(w, "%s (%s) was let in, and has not come for its certificate yet: is cirque-agent enrol still "+
						"waiting there? It may until %s.\n", p.Machine, p.Remote, r.zone().At(p.EndsAt))
					return
				}
				where := "; where it stands is not known"
				if p.Site != "" {
					where = ", at " + p.Site
				}
				fmt.Fprintf(w, "%s is enrolled%s (%s). It was %s that showed the code.\n", p.Machine, where, p.System, p.Remote)
			})
		}}
	c.Flags().StringVar(&want.Site, "site", "", "where it stands; by its addresses when absent")
	c.Flags().StringVar(&want.Machine, "machine", "", "its name in the directory, where it calls itself otherwise")
	return c
}

// paired waits until a machine that was let in has come for its certificate; for a while.
func paired(ctx context.Context, client *apiclient.Client, path string, p access.Pairing) (access.Pairing, error) {
	look := time.NewTicker(pairLooks)
	defer look.Stop()
	for end := time.After(pairWaits); p.State == access.PairLetIn; {
		select {
		case <-ctx.Done():
			return p, ctx.Err()
		case <-end:
			return p, nil
		case <-look.C:
		}
		var err error
		if p, err = apiclient.Get[access.Pairing](ctx, client, path, nil); err != nil {
			return p, err
		}
	}
	return p, nil
}
