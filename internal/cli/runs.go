package cli

import (
	"fmt"
	"io"
	"net/url"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/directory"
	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

func directoryRunsCommand(r *root) *cobra.Command {
	return ask(r, "runs [SOURCE]", "The latest passes over all sources, or over one", cmdline.Args(0, 1),
		func(c *cobra.Command, client *apiclient.Client, a []string) ([]directory.Run, error) {
			q := url.Values{}
			if len(a) == 1 {
				q.Set("source", a[0])
			}
			p, err := apiclient.Page[directory.Run](c.Context(), client, "/api/v1/directory/runs", q)
			return p.Items, err
		}, func(w io.Writer, list []directory.Run) {
			if len(list) == 0 {
				fmt.Fprintln(w, "There has been no pass yet.")
				return
			}
			t := r.table("BEGAN", "SOURCE", "PASS", "STATE", "TOOK", "READ", "DETAIL", "BY")
			for _, v := range list {
				took := time.Since(v.At)
				if v.Ended != nil {
					took = v.Ended.Sub(v.At)
				}
				t.add(r.zone().At(v.At), v.Source, v.Kind, v.State, took.Round(10*time.Millisecond).String(),
					fmt.Sprint(v.Read), v.Says, v.Author)
			}
			t.write(w)
		})
}
