package cmdline

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// How wide help is: as the terminal, within these; the lesser where there is none.
const (
	helpLeast = 80
	helpMost  = 110
)

// Help lays out the help of a command so that it fits so many columns; 0 is no terminal.
func Help(c *cobra.Command, width int) string {
	width = min(max(width, helpLeast), helpMost)
	var b strings.Builder
	b.WriteString(Wrap(cmp.Or(c.Long, c.Short+"."), width))
	b.WriteString("\n\nUsage:\n")
	if c.HasAvailableSubCommands() {
		fmt.Fprintf(&b, "  %s COMMAND\n", c.CommandPath())
	} else {
		b.WriteString(hang("  ", UseOf(c), "      ", width) + "\n")
	}
	if c.Example != "" {
		b.WriteString("\nExamples:\n" + strings.TrimRight(c.Example, "\n") + "\n")
	}
	b.WriteString(commandsOf(c, width))
	own, above := c.LocalFlags(), c.InheritedFlags()
	if own.HasAvailableFlags() {
		b.WriteString("\nFlags:\n" + flagsOf(own, width))
	}
	if above.HasAvailableFlags() && !c.HasAvailableSubCommands() {
		b.WriteString("\nFlags of every command:\n" + flagsOf(above, width))
	}
	if c.HasAvailableSubCommands() {
		fmt.Fprintf(&b, "\n%s COMMAND --help tells more about one.\n", c.CommandPath())
	}
	return b.String()
}

func commandsOf(c *cobra.Command, width int) string {
	var b strings.Builder
	longest := 0
	for _, sub := range c.Commands() {
		if sub.IsAvailableCommand() {
			longest = max(longest, len(sub.Name()))
		}
	}
	list := func(title string, in func(*cobra.Command) bool) {
		first := true
		for _, sub := range c.Commands() {
			if !sub.IsAvailableCommand() || !in(sub) {
				continue
			}
			if first {
				b.WriteString("\n" + title + ":\n")
			}
			first = false
			b.WriteString(hang(fmt.Sprintf("  %-*s  ", longest, sub.Name()), sub.Short, strings.Repeat(" ", longest+4), width) +
				"\n")
		}
	}
	for _, g := range c.Groups() {
		list(g.Title, func(sub *cobra.Command) bool { return sub.GroupID == g.ID })
	}
	list("Commands", func(sub *cobra.Command) bool { return sub.GroupID == "" })
	return b.String()
}

func flagsOf(set *pflag.FlagSet, width int) string {
	type row struct{ left, right string }
	var rows []row
	longest := 0
	set.VisitAll(func(f *pflag.Flag) {
		if f.Hidden {
			return
		}
		left := "      --" + f.Name
		if f.Shorthand != "" {
			left = "  -" + f.Shorthand + ", --" + f.Name
		}
		if v := valueWord(f); v != "" {
			left += " " + v
		}
		right := strings.ReplaceAll(f.Usage, "`", "")
		if d := f.DefValue; d != "" && d != "false" && d != "0" && d != "[]" && d != "0s" {
			right += " (usually " + d + ")"
		}
		rows = append(rows, row{left, right})
		longest = max(longest, len(left))
	})
	longest = min(longest, 30)
	var b strings.Builder
	for _, r := range rows {
		lead := fmt.Sprintf("%-*s  ", longest, r.left)
		if len(r.left) > longest {
			b.WriteString(r.left + "\n")
			lead = strings.Repeat(" ", longest+2)
		}
		b.WriteString(hang(lead, r.right, strings.Repeat(" ", longest+2), width) + "\n")
	}
	return b.String()
}

// valueWord says what stands after a flag, in capitals; "" after one that is only set. A word in backquotes in the
// flag's usage says it for sure.
func valueWord(f *pflag.Flag) string {
	if parts := strings.Split(f.Usage, "`"); len(parts) == 3 {
		return parts[1]
	}
	switch f.Value.Type() {
	case "bool":
		return ""
	case "int", "int64", "uint":
		return "N"
	case "int64Slice":
		return "N,..."
	case spanType:
		return "SPAN"
	case momentType:
		return "WHEN"
	}
	switch {
	case TakesFile(f):
		return "FILE"
	case f.Name == "data":
		return "DIR"
	case strings.HasSuffix(f.Value.Type(), "Slice") || strings.HasSuffix(f.Value.Type(), "Array"):
		return "X,..."
	}
	return strings.ToUpper(f.Name)
}

// TakesFile says whether a flag names a file.
func TakesFile(f *pflag.Flag) bool {
	return strings.HasSuffix(f.Name, "-file") || slices.Contains([]string{"ca", "tls-cert", "tls-key", "table", "write",
		"address-table", "directory-ca"}, f.Name)
}

// Wrap lays out paragraphs within a width: lines that begin with a space stay as they are.
func Wrap(text string, width int) string {
	var out []string
	var para []string
	flush := func() {
		if len(para) > 0 {
			out = append(out, hang("", strings.Join(para, " "), "", width))
		}
		para = nil
	}
	for line := range strings.Lines(text) {
		line = strings.TrimRight(line, "\n")
		if line == "" || strings.HasPrefix(line, " ") {
			flush()
			out = append(out, line)
			continue
		}
		para = append(para, line)
	}
	flush()
	return strings.TrimRight(strings.Join(out, "\n"), "\n")
}

// Break divides a text into lines of at most so many columns: between words, and within one that is too long after what
// joins its parts, such as a slash. The blanks of a text that fits stay as they are.
func Break(text string, width int) []string {
	if width < 1 || utf8.RuneCountInString(text) <= width {
		return []string{text}
	}
	var out []string
	line := ""
	for _, word := range strings.Fields(text) {
		glue := " "
		for _, part := range Parts(word, width) {
			if line != "" && utf8.RuneCountInString(line+glue+part) > width {
				out, line = append(out, line), ""
			}
			if line != "" {
				line += glue
			}
			line, glue = line+part, ""
		}
	}
	return append(out, line)
}

// Parts divides a word that is longer than so many columns, after what joins its parts.
func Parts(word string, width int) []string {
	if utf8.RuneCountInString(word) <= width {
		return []string{word}
	}
	return strings.FieldsFunc(joints.ReplaceAllString(word, "$0\x00"), func(r rune) bool { return r == 0 })
}

var joints = regexp.MustCompile(`[/,.:;=@_-]+`)

// hang writes words after a lead, and goes on below it, indented, where the width ends.
func hang(lead, text, indent string, width int) string {
	var b strings.Builder
	b.WriteString(lead)
	at, fresh := utf8.RuneCountInString(lead), true
	for _, word := range strings.Fields(text) {
		n := utf8.RuneCountInString(word)
		if !fresh && at+1+n > width {
			b.WriteString("\n" + indent)
			at, fresh = len(indent), true
		}
		if !fresh {
			b.WriteByte(' ')
			at++
		}
		b.WriteString(word)
		at, fresh = at+n, false
	}
	return b.String()
}
