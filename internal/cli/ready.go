package cli

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/words"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func readyCommand(r *root) *cobra.Command {
	var writing bool
	c := &cobra.Command{Use: "ready", Short: "What a service can do now, and what stands in the way",
		Args: cmdline.Args(0, 0),
		Long: `What the service that is asked can do now: whether it answers lineups, how old what it answers is,
whether it keeps changes; and each thing that is not as it should be, with its cause and what to do.
Needs no sign-in. Exits with 8 where lineups are not answered, with --writing also where changes are
not kept.`,
		Example: "  cirque ready\n  cirque ready --writing && cirque publish -m 'the hall has moved'",
		RunE: func(c *cobra.Command, _ []string) error {
			client, err := r.client()
			if err != nil {
				return err
			}
			v, err := apiclient.Get[api.Readiness](c.Context(), client, "/readyz", nil)
			if err != nil {
				return err
			}
			if err := r.print(c, v, func(w io.Writer) { r.writeReady(w, v) }); err != nil {
				return err
			}
			if !v.Ready || writing && !v.Writing {
				return cmdline.ErrNo
			}
			return nil
		}}
	c.Flags().BoolVar(&writing, "writing", false, "exit with 8 also where changes are not kept")
	return c
}

func (r *screen) writeReady(w io.Writer, v api.Readiness) {
	switch {
	case !v.Ready:
		fmt.Fprintf(w, "Lineups are not answered: %s.\n", v.Says)
	case v.AgeSeconds > 5:
		fmt.Fprintf(w, "Lineups are answered as of %s, %s ago.\n", r.zone().At(v.AsOf),
			words.Span(time.Duration(v.AgeSeconds)*time.Second))
	default:
		fmt.Fprintln(w, "Lineups are answered as they are now.")
	}
	if v.Writing {
		fmt.Fprintln(w, "Changes are kept.")
	} else {
		fmt.Fprintln(w, "Changes are not kept.")
	}
	if len(v.Conditions) == 0 {
		return
	}
	fmt.Fprintln(w)
	t := r.table("CONDITION", "SINCE", "CAUSE", "WHAT TO DO")
	for _, c := range v.Conditions {
		t.add(c.Code, ago(c.Since, time.Now()), c.Says, c.Fix)
	}
	t.write(w)
}
