package cli

import (
	"io"

	"github.com/spf13/cobra"

	"cirque/internal/apiclient"
)

// What most commands are: a question with its answer, or a deed in one line.

// ask makes a command that asks the service something and prints the answer.
func ask[T any](r *root, use, short string, check cobra.PositionalArgs, call func(c *cobra.Command,
	client *apiclient.Client, a []string) (T, error), show func(w io.Writer, v T)) *cobra.Command {
	return &cobra.Command{Use: use, Short: short, Args: check, RunE: func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		v, err := call(c, client, a)
		if err != nil {
			return err
		}
		return r.print(c, v, func(w io.Writer) { show(w, v) })
	}}
}

// done makes a command that does something and says so in one line.
func done(r *root, use, short string, check cobra.PositionalArgs, call func(c *cobra.Command, client *apiclient.Client,
	a []string) error, says func(a []string) string) *cobra.Command {
	return &cobra.Command{Use: use, Short: short, Args: check, RunE: func(c *cobra.Command, a []string) error {
		client, err := r.client()
		if err != nil {
			return err
		}
		if err := call(c, client, a); err != nil {
			return err
		}
		return r.say(c, a, "%s", says(a))
	}}
}

// get makes the call of a command that reads one path.
func get[T any](path func(a []string) string) func(c *cobra.Command, client *apiclient.Client, a []string) (T, error) {
	return func(c *cobra.Command, client *apiclient.Client, a []string) (T, error) {
		return apiclient.Get[T](c.Context(), client, path(a), nil)
	}
}

// items makes the call of a command that reads all of a list.
func items[T any](path func(a []string) string) func(c *cobra.Command, client *apiclient.Client,
	a []string) ([]T, error) {
	return func(c *cobra.Command, client *apiclient.Client, a []string) ([]T, error) {
		return apiclient.List[T](c.Context(), client, path(a), nil)
	}
}

func fixed(path string) func([]string) string { return func([]string) string { return path } }

func named(prefix, suffix string) func([]string) string {
	return func(a []string) string { return apiclient.Path(prefix, a[0]) + suffix }
}
