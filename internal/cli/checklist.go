package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/endpoint"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func checklistCommand(r *root) *cobra.Command {
	c := ask(r, "checklist [QUEUE]", "What is done and what is to do next: of the set-up, or of a queue",
		cmdline.Args(0, 1), func(c *cobra.Command, client *apiclient.Client, a []string) ([]endpoint.Check, error) {
			if len(a) == 0 {
				return apiclient.List[endpoint.Check](c.Context(), client, "/api/v1/checklist", nil)
			}
			return apiclient.List[endpoint.Check](c.Context(), client, apiclient.Path("/api/v1/queues", a[0])+"/checklist",
				nil)
		}, writeSteps)
	c.Long = `The steps from an empty service to one that looks after itself; with a queue, those until it prints
where it is to: whether its device answers, nothing is wrong with what is written, somebody receives
it, everybody has it, and a page was sent. Steps tick themselves; what nobody looked at is unproven.
That of a planned outage is cirque server outage.`
	return c
}

// writeSteps writes a checklist, and how many of its steps are open.
func writeSteps(w io.Writer, list []endpoint.Check) {
	open := 0
	for i, x := range list {
		fmt.Fprintf(w, "%d  %-8s  %s %s.\n", i+1, map[string]string{endpoint.Yes: "done", endpoint.No: "to do",
			endpoint.Unproven: "unproven"}[x.Result], x.Check, strings.TrimSuffix(x.Says, "."))
		if x.Fix != "" {
			fmt.Fprintf(w, "             %s\n", x.Fix)
		}
		if x.Result != endpoint.Yes {
			open++
		}
	}
	fmt.Fprintf(w, "%s open.\n", words.Count(open, "step is", "steps are"))
}
