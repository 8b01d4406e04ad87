package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/api"
	"cirque/internal/cmdline"
)

// testStockCommand sends a test page straight to a device or a server's queue, and tells each state of the job.
func testStockCommand(r *root, kind, use string, n int) *cobra.Command {
	short := "Send a test page straight to a device, and follow it until it is done"
	if kind == "server" {
		short = "Send a test page straight to a server's queue, and follow it until it is done"
	}
	return &cobra.Command{Use: use, Short: short, Args: cmdline.Args(n, n), RunE: func(c *cobra.Command,
		a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		in := api.NewTest{Kind: kind, Name: a[0]}
		if n == 2 {
			in.Queue = a[1]
		}
		resp, err := client.Raw(c.Context(), "POST", "/api/v1/stock/test-pages", nil, nil, in)
		if err != nil {
			return err
		}
		defer func() { _ = resp.Body.Close() }()
		var last *stock.TestSheet
		if err := lines(resp.Body, func(l api.TestLine) error {
			switch {
			case l.Problem != nil:
				return l.Problem.Fault()
			case l.Result != nil:
				last = l.Result
			case l.Job != nil && r.output == "table":
				fmt.Fprintf(c.ErrOrStderr(), "job %d is %s%s\n", l.Job.ID, l.Job.State, reasons(l.Job.Reasons))
			}
			return nil
		}); err != nil {
			return err
		}
		if last == nil {
			return fault.New(fault.Unavailable, "broke-off", "try again", "the service broke off before it had the result")
		}
		if err := r.print(c, last, func(w io.Writer) {
			fmt.Fprintf(w, "Sent as %s to %s.\n%s: %s.\n", last.Format, last.SentTo, map[string]string{"yes": "Printed",
				"no": "Not printed", "unproven": "Nothing proven"}[last.Result], last.Says)
			if !last.Recorded {
				fmt.Fprintln(w, unrecorded)
			}
		}); err != nil {
			return err
		}
		if last.Result == "no" {
			return cmdline.ErrNo
		}
		return nil
	}}
}

func reasons(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return " (" + strings.Join(list, ", ") + ")"
}
