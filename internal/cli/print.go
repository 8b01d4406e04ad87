package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"
	"unicode/utf8"

	"cirque/core/words"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"
	"golang.org/x/term"
)

// terminalWidth is 0 where out is no terminal: then nothing is cut.
func terminalWidth(out io.Writer) int {
	f, ok := out.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return 0
	}
	w, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		return 0
	}
	return w
}

// print writes v as it came from the API, or calls table.
func (r *root) print(c *cobra.Command, v any, table func(w io.Writer)) error {
	switch r.output {
	case "json":
		enc := json.NewEncoder(c.OutOrStdout())
		enc.SetIndent("", "  ")
		return enc.Encode(v)
	case "yaml":
		// By way of JSON, so that both forms have the same keys.
		b, err := json.Marshal(v)
		if err != nil {
			return err
		}
		var n yaml.Node
		if err := yaml.Unmarshal(b, &n); err != nil {
			return err
		}
		plain(&n)
		enc := yaml.NewEncoder(c.OutOrStdout())
		enc.SetIndent(2)
		if err := enc.Encode(&n); err != nil {
			return err
		}
		return enc.Close()
	}
	table(c.OutOrStdout())
	return nil
}

// plain takes JSON's quotes and braces out of a tree.
func plain(n *yaml.Node) {
	n.Style = 0
	for _, c := range n.Content {
		plain(c)
	}
}

// A table has columns of equal width, two spaces between. On a terminal that is too narrow the widest columns are cut,
// with an ellipsis.
type table struct {
	width int
	head  []string
	rows  [][]string
}

func (r *root) table(head ...string) *table { return &table{width: r.width, head: head} }

func (t *table) add(cells ...string) {
	for i := range cells {
		cells[i] = words.Escape(cells[i], "")
	}
	t.rows = append(t.rows, cells)
}

func (t *table) write(w io.Writer) {
	widths := make([]int, len(t.head))
	all := append([][]string{t.head}, t.rows...)
	for _, row := range all {
		for i, cell := range row {
			widths[i] = max(widths[i], utf8.RuneCountInString(cell))
		}
	}
	if t.width > 0 {
		t.narrow(widths)
	}
	for _, row := range all {
		var b strings.Builder
		for i, cell := range row {
			cell = cut(cell, widths[i])
			b.WriteString(cell)
			if i < len(row)-1 {
				b.WriteString(strings.Repeat(" ", widths[i]-utf8.RuneCountInString(cell)+2))
			}
		}
		fmt.Fprintln(w, strings.TrimRight(b.String(), " "))
	}
}

const narrowest = 8

func (t *table) narrow(widths []int) {
	for {
		total, widest := 2*(len(widths)-1), 0
		for i, w := range widths {
			total += w
			if w > widths[widest] {
				widest = i
			}
		}
		if total <= t.width || widths[widest] <= narrowest {
			return
		}
		widths[widest] = max(narrowest, widths[widest]-(total-t.width))
	}
}

func cut(s string, width int) string {
	if utf8.RuneCountInString(s) <= width {
		return s
	}
	return string([]rune(s)[:width-1]) + "…"
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
