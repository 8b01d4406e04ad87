package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/promise"
	"cirque/core/words"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// promiseCommand are the commands for promises, and for holding an estate against them.
func promiseCommand(r *root) *cobra.Command {
	o := objectsOf{r, "promises", []string{"context.user", "context.machine", "receives", "never", "default"}}
	return cmdline.Group("promise", "Promises: contexts with what they must and must not receive, which publishing is "+
		"held against", append(o.all(), promiseCheckCommand(r))...)
}

func promiseCheckCommand(r *root) *cobra.Command {
	c := &cobra.Command{Use: "check", Short: "Whether the estate, a draft or a former revision keeps its promises",
		Args: cmdline.Args(0, 0),
		Long: `Hold the estate against its promises. One that cannot be told, as nobody knows the person or machine
of its context, is neither kept nor broken. Exit code 8 says that one is broken.`}
	when := r.whenFlags(c)
	c.RunE = func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		list, err := apiclient.List[promise.Verdict](c.Context(), client, "/api/v1/promises", when())
		if err != nil {
			return err
		}
		if err := r.print(c, list, func(w io.Writer) { writeVerdicts(r, w, list) }); err != nil {
			return err
		}
		for _, v := range list {
			if v.State == promise.Broken {
				return cmdline.ErrNo
			}
		}
		return nil
	}
	return c
}

func writeVerdicts(r *root, w io.Writer, list []promise.Verdict) {
	if len(list) == 0 {
		fmt.Fprintln(w, "There are no promises. To make one: cirque promise add NAME context.user=mira.solvang "+
			"receives=hall-mono")
		return
	}
	t := r.table("PROMISE", "STATE", "DETAIL")
	counts := map[promise.State]int{}
	for _, v := range list {
		counts[v.State]++
		t.add(v.Name, string(v.State), strings.Join(v.Says, "; "))
	}
	t.write(w)
	fmt.Fprintf(w, "%s: %d kept, %d broken", words.Count(len(list), "promise"), counts[promise.Kept],
		counts[promise.Broken])
	if n := counts[promise.Unproven]; n > 0 {
		fmt.Fprintf(w, ", %d not to be told", n)
	}
	fmt.Fprintln(w, ".")
}
