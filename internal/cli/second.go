package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"cirque/core/adopt"
	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/cmdline"
)

func queueSecondCommand(r *root) *cobra.Command {
	var in api.SecondQueue
	c := &cobra.Command{Use: "second QUEUE NEW", Short: "Add another queue on the devices of one, in another page " +
		"language",
		Long: "Both print on the same paper, and each program takes the one that suits it. Drivers come from the packages, " +
			"for the model that was read; cirque driver names --model MODEL --uses office,layout advises which language " +
			"suits what is printed.", Args: cmdline.Args(2, 2)}
	c.Flags().StringVar(&in.Language, "language", "", "the page language, such as PostScript or PCL6")
	c.Flags().StringVar(&in.Title, "title", "", "the new queue's title; that of QUEUE with the language "+
		"behind it otherwise")
	c.Flags().BoolVar(&in.Dry, "dry-run", false, "only say what it would be")
	_ = c.MarkFlagRequired("language") // the flag is there
	name := draftFlag(c)
	c.RunE = func(c *cobra.Command, a []string) error {
		in.Queue, in.Called = a[0], a[1]
		client, err := r.client()
		if err != nil {
			return err
		}
		var out api.MadeSecond
		if err := client.Do(c.Context(), "POST", "/api/v1/draft/second-queue", name(), in, &out); err != nil {
			return err
		}
		return r.print(c, out, func(w io.Writer) {
			r.writeProposals(w, []adopt.Proposal{out.Proposal})
			if out.Draft == nil {
				fmt.Fprintln(w, "Nothing was changed.")
				return
			}
			fmt.Fprintf(w, "%s is in your draft, which has %s now. See cirque draft, then cirque rehearse.\n",
				out.Proposal.Queue.Name, words.Count(out.Draft.Total, "change"))
		})
	}
	return c
}
