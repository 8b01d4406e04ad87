package cli

import (
	"fmt"
	"io"
	"net/url"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/live"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

func (r *root) drain() *cobra.Command {
	var reason string
	c := &cobra.Command{Use: "drain SERVER", Short: "Take a server out of duty; its people move to another member of its sets", Args: args(cobra.ExactArgs(1)), RunE: func(c *cobra.Command, a []string) error {
		return r.duty(c, apiclient.Path("/api/v1/servers", a[0])+"/drain", api.Reason{Reason: reason})
	}}
	c.Flags().StringVar(&reason, "reason", "", "why, in a few words")
	return c
}

func (r *root) back() *cobra.Command {
	return &cobra.Command{Use: "return SERVER", Short: "Put a server back on duty", Args: args(cobra.ExactArgs(1)), RunE: func(c *cobra.Command, a []string) error {
		return r.duty(c, apiclient.Path("/api/v1/servers", a[0])+"/return", nil)
	}}
}

func (r *root) duty(c *cobra.Command, path string, in any) error {
	client, err := r.client()
	if err != nil {
		return err
	}
	x, err := apiclient.Post[api.Changed](c.Context(), client, path, in)
	if err != nil {
		return err
	}
	return r.print(c, x, func(w io.Writer) { fmt.Fprintln(w, x.Says+".") })
}

func (r *root) duties() *cobra.Command {
	return &cobra.Command{Use: "duties", Short: "Servers and devices that are out of duty", Args: args(cobra.NoArgs), RunE: func(c *cobra.Command, _ []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		list, err := apiclient.Get[[]live.Note](c.Context(), client, "/api/v1/duties", nil)
		if err != nil {
			return err
		}
		return r.print(c, list, func(w io.Writer) {
			if len(list) == 0 {
				fmt.Fprintln(w, "Everything is on duty.")
				return
			}
			t := r.table("", "NAME", "DUTY", "SINCE", "BY", "REASON")
			for _, n := range list {
				t.add(n.Kind, n.Name, string(n.Duty), ago(n.Since, time.Now()), n.Author, n.Reason)
			}
			t.write(w)
		})
	}}
}

func (r *root) pick(use, short, method string) *cobra.Command {
	var user string
	c := &cobra.Command{Use: use + " QUEUE", Short: short, Args: args(cobra.ExactArgs(1)), RunE: func(c *cobra.Command, a []string) error {
		if user == "" {
			return usageError{fmt.Errorf("say whose pick it is with --user")}
		}
		client, err := r.client()
		if err != nil {
			return err
		}
		var x api.Changed
		if err := client.Do(c.Context(), method, apiclient.Path("/api/v1/people", user)+"/picks/"+url.PathEscape(a[0]), nil, nil, &x); err != nil {
			return err
		}
		return r.print(c, x, func(w io.Writer) { fmt.Fprintln(w, x.Says+".") })
	}}
	c.Flags().StringVar(&user, "user", "", "whose pick it is")
	return c
}
