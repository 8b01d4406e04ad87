package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"reflect"
	"strings"
	"time"

	"cirque/internal/cmdline"

	"github.com/spf13/cobra"
)

// print writes v as it came from the API, or calls table. A list without entries is an empty list, never null.
func (r *screen) print(c *cobra.Command, v any, table func(w io.Writer)) error {
	if r.output == cmdline.Table {
		table(c.OutOrStdout())
		return nil
	}
	if list := reflect.ValueOf(v); list.Kind() == reflect.Slice && list.IsNil() {
		v = []int{}
	}
	return cmdline.Encode(c.OutOrStdout(), r.output, v)
}

// withDry asks that nothing be kept.
func withDry(q url.Values, dry bool) url.Values {
	if q == nil {
		q = url.Values{}
	}
	if dry {
		q.Set("dry", "true")
	}
	return q
}

// A Deed is what a program reads of a command that did something and has nothing else to tell.
type Deed struct {
	Command string   `json:"command"` // such as account remove
	Of      []string `json:"of"`      // what was named
	Says    string   `json:"says"`
}

// tell says how far something is, to whoever reads along; a program reads what comes of it.
func (r *screen) tell(c *cobra.Command, format string, a ...any) {
	if r.output == cmdline.Table {
		fmt.Fprintf(c.OutOrStdout(), format+"\n", a...)
	}
}

// say tells what was done, in one line.
func (r *screen) say(c *cobra.Command, of []string, format string, a ...any) error {
	says := fmt.Sprintf(format, a...)
	_, command, _ := strings.Cut(c.CommandPath(), " ")
	return r.print(c, Deed{command, append([]string{}, of...), says}, func(w io.Writer) { fmt.Fprintln(w, says) })
}

// ago says how old a time is.
func ago(t, now time.Time) string {
	switch d := now.Sub(t); {
	case d < time.Second:
		return "just now"
	case d < time.Minute:
		return fmt.Sprintf("%d s ago", int(d/time.Second))
	case d < time.Hour:
		return fmt.Sprintf("%d min ago", int(d/time.Minute))
	case d < 48*time.Hour:
		return fmt.Sprintf("%d h ago", int(d/time.Hour))
	default:
		return fmt.Sprintf("%d days ago", int(d/(24*time.Hour)))
	}
}

func or(s *string, none string) string {
	if s == nil {
		return none
	}
	return *s
}

// lines reads a stream of JSON objects, one a line, to its end.
func lines[T any](in io.Reader, f func(T) error) error {
	for dec := json.NewDecoder(in); ; {
		var v T
		err := dec.Decode(&v)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := f(v); err != nil {
			return err
		}
	}
}
