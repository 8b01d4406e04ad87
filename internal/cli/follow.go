package cli

import (
	"context"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"cirque/internal/apiclient"
	"cirque/internal/cmdline"
)

// A work is what the service does in the background, as a command follows it.
type work[T any] struct {
	over  func(T) bool
	again func(ctx context.Context) (T, error) // how far it is now
	says  func(T) string
	stop  string // the path whose DELETE stops it where whoever follows it leaves; none where it goes on
}

// follow waits for the end of what the service does, from how it was when it began; on a terminal it says how far it
// is.
func follow[T any](r *root, c *cobra.Command, client *apiclient.Client, now T, of work[T]) (T, error) {
	tell := r.output == cmdline.Table && cmdline.TerminalWidth(c.ErrOrStderr()) > 0
	if tell {
		defer fmt.Fprint(c.ErrOrStderr(), "\r\x1b[K")
	}
	for !of.over(now) {
		select {
		case <-c.Context().Done():
			if of.stop != "" {
				ctx, cancel := context.WithTimeout(context.WithoutCancel(c.Context()), 5*time.Second)
				defer cancel()
				_ = client.Do(ctx, "DELETE", of.stop, nil, nil, nil) // it may have ended
			}
			return now, c.Context().Err()
		case <-time.After(150 * time.Millisecond):
		}
		var err error
		if now, err = of.again(c.Context()); err != nil {
			return now, err
		}
		if tell {
			fmt.Fprintf(c.ErrOrStderr(), "\r\x1b[K%s", of.says(now))
		}
	}
	return now, nil
}
