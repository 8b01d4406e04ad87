package cmdline

import (
	"strings"

	"github.com/spf13/cobra"
)

// Examples are lines that show each command, in a text: a line with a command's path ends with a colon, and the lines
// below it, indented, are examples of it.
type Examples map[string][]string

// ParseExamples reads the text.
func ParseExamples(text string) Examples {
	out := Examples{}
	path := ""
	for line := range strings.Lines(text) {
		line = strings.TrimRight(line, "\n")
		switch {
		case line == "" || strings.HasPrefix(line, "#"):
		case strings.HasPrefix(line, "  "):
			out[path] = append(out[path], strings.TrimPrefix(line, "  "))
		default:
			path = strings.TrimSuffix(line, ":")
		}
	}
	return out
}

// mostShown is how many examples of the commands below it a group shows.
const mostShown = 3

// into gives each command its examples; a command that only holds others has the first of some of them.
func (e Examples) into(c *cobra.Command) []string {
	list := e[c.CommandPath()]
	var below []string
	for _, sub := range c.Commands() {
		if got := e.into(sub); len(got) > 0 && !sub.Hidden {
			below = append(below, got[0])
		}
	}
	if len(list) == 0 {
		list = below[:min(len(below), mostShown)]
	}
	switch {
	case c.Example != "":
		first, _, _ := strings.Cut(strings.TrimSpace(c.Example), "\n")
		return []string{first}
	case len(list) > 0:
		c.Example = "  " + strings.Join(list, "\n  ")
	}
	return list
}
