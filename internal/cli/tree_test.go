package cli

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"cirque/internal/cmdline"
	"cirque/internal/testkit"
)

// every calls f for each command that can be run.
func every(c *cobra.Command, f func(c *cobra.Command)) {
	f(c)
	for _, sub := range c.Commands() {
		if !sub.Hidden && sub.Name() != "completion" && sub.Name() != "help" {
			every(sub, f)
		}
	}
}

// TestExamples: every command has an example, and each is read as the command line reads it: the command is there, and
// so are its flags, with values that they take.
func TestExamples(t *testing.T) {
	t.Parallel()
	known := cmdline.ParseExamples(examples)
	every(Command(), func(c *cobra.Command) {
		path := c.CommandPath()
		delete(known, path)
		if c.Example == "" {
			t.Errorf("%s has no example", path)
		}
		for _, line := range strings.Split(c.Example, "\n") {
			for _, part := range strings.Split(line, " | ") {
				part, _, _ = strings.Cut(part, " && ")
				part, _, _ = strings.Cut(strings.TrimSpace(part), " > ")
				part, _, _ = strings.Cut(part, " < ")
				words := testkit.ShellWords(part)
				if len(words) == 0 || words[0] != "cirque" {
					t.Errorf("%s: %q is no command of ours", path, part)
					continue
				}
				tried := Command()
				found, rest, err := tried.Find(words[1:])
				if err != nil || !c.HasSubCommands() && found.CommandPath() != path {
					t.Errorf("%s: %q leads to %s, %v", path, part, found.CommandPath(), err)
					continue
				}
				if err := found.ParseFlags(rest); err != nil {
					t.Errorf("%q: %v", part, err)
				} else if err := found.ValidateArgs(found.Flags().Args()); err != nil {
					t.Errorf("%q: %v", part, err)
				} else if err := found.ValidateRequiredFlags(); err != nil {
					t.Errorf("%q: %v", part, err)
				}
			}
		}
	})
	for path := range known {
		t.Errorf("examples.txt speaks of %q, which is no command", path)
	}
}

// TestHelpFits: no line of any help is wider than 80 columns, but for examples, which can be copied whole.
func TestHelpFits(t *testing.T) {
	t.Parallel()
	every(Command(), func(c *cobra.Command) {
		text := cmdline.Help(c, 0)
		for line := range strings.Lines(text) {
			line = strings.TrimRight(line, "\n")
			if utf8.RuneCountInString(line) > 80 && !strings.Contains(line, " -H ldaps") && !strings.HasPrefix(strings.TrimSpace(line), "cirque ") {
				t.Errorf("%s: %q is %d wide", c.CommandPath(), line, utf8.RuneCountInString(line))
			}
		}
	})
}

// TestCompletions: the words of every command's use, and every flag that names something, are completed.
func TestCompletions(t *testing.T) {
	t.Parallel()
	free := map[string]bool{"WORD": true, "PATTERN": true, "ADDRESS": true, "RANGE": true, "URL": true, "MODEL": true,
		"WHO": true, "A": true, "B": true, "DRIVER": true, "LIST": true, "NUMBER": true, "ID": true, "COMMAND": true,
		"WORDS": true, "CODE": true}
	words, flags := wordCompletions(), flagCompletions()
	every(Command(), func(c *cobra.Command) {
		if c.HasSubCommands() {
			return
		}
		_, path, _ := strings.Cut(c.CommandPath(), " ")
		list, _ := placeholders(c)
		for _, w := range list {
			if completionOf(words, path, w) == nil && !free[w] {
				t.Errorf("%s: %s is not completed", path, w)
			}
		}
	})
	seen := map[string]bool{}
	every(Command(), func(c *cobra.Command) {
		_, path, _ := strings.Cut(c.CommandPath(), " ")
		mark := func(f *pflag.Flag) { seen[f.Name], seen[strings.TrimSpace(path+" "+f.Name)] = true, true }
		c.LocalFlags().VisitAll(mark)
	})
	for name := range flags {
		if !seen[name] {
			t.Errorf("there is no flag %q to complete", name)
		}
	}
}
