package cli

import (
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"

	"cirque/core/server"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// serverJobCommand looks after jobs that wait on servers.
func serverJobCommand(r *root) *cobra.Command {
	return cmdline.Group("job", "Hold, release, cancel or move a job that waits on a server",
		actCommand(r, server.Hold, "hold SERVER QUEUE JOB", "Hold a job that waits on a server"),
		actCommand(r, server.Release, "release SERVER QUEUE JOB", "Let a job print that was held"),
		actCommand(r, server.Cancel, "cancel SERVER QUEUE JOB", "Cancel a job that waits on a server"),
		actCommand(r, server.Move, "move SERVER QUEUE JOB --to QUEUE", "Move a job to another queue of the same server"))
}

func actCommand(r *root, do, use, short string) *cobra.Command {
	in := api.ActOnJob{Do: do}
	c := ask(r, use, short+"; its owner is told by mail", cmdline.Args(3, 3), func(c *cobra.Command,
		client *apiclient.Client, a []string) (out api.ActedOnJob, err error) {
		in.Queue = a[1]
		if in.Job, err = strconv.Atoi(a[2]); err != nil || in.Job < 1 {
			return out, usagef("%q is no number of a job: see cirque server jobs %s", a[2], a[0])
		}
		if do == server.Move && in.To == "" {
			return out, usagef("name the queue with --to")
		}
		return apiclient.Post[api.ActedOnJob](c.Context(), client, apiclient.Path("/api/v1/stock/servers", a[0])+"/jobs", in)
	}, func(w io.Writer, v api.ActedOnJob) {
		fmt.Fprintf(w, "%s: done.\n", v.Says)
		if v.Told != "" {
			fmt.Fprintf(w, "%s.\n", v.Told)
		}
	})
	c.Flags().StringVarP(&in.Reason, "reason", "m", "", "why, which the owner is told")
	if do == server.Move {
		c.Flags().StringVar(&in.To, "to", "", "the other queue, by its name on the server")
	}
	return c
}
