package cmdline

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"cirque/core/name"
	"cirque/core/words"
)

// Args makes a check of how many words a command takes; most -1 is any number.
func Args(least, most int) cobra.PositionalArgs {
	return func(c *cobra.Command, a []string) error {
		if len(a) >= least && (most < 0 || len(a) <= most) {
			return nil
		}
		wants := words.Count(least, "argument")
		switch {
		case most == 0:
			wants = "no argument"
		case most < 0:
			wants = "at least " + wants
		case most > least:
			wants = fmt.Sprintf("%d to %d arguments", least, most)
		}
		got := fmt.Sprint("there are ", len(a))
		if len(a) == 0 {
			got = "there is none"
		} else if len(a) == 1 {
			got = fmt.Sprintf("there is one, %q", a[0])
		}
		return &Usage{What: fmt.Sprintf("%s takes %s, and %s", c.CommandPath(), wants, got), Fix: "write " + UseOf(c)}
	}
}

// UseOf is how a command is written, whole.
func UseOf(c *cobra.Command) string {
	if c.HasParent() {
		return c.Parent().CommandPath() + " " + c.Use
	}
	return c.Use
}

// noCommand is the check of a command that only holds others.
func noCommand(c *cobra.Command, a []string) error {
	if len(a) == 0 {
		return nil
	}
	var names []string
	for _, sub := range c.Commands() {
		if !sub.Hidden {
			names = append(names, sub.Name())
		}
	}
	what := fmt.Sprintf("there is no command %q", a[0])
	if c.HasParent() {
		what = fmt.Sprintf("%s has no command %q", c.CommandPath(), a[0])
	}
	return &Usage{What: what,
		Fix: didYouMean(c, a[0], names, c.CommandPath()+" --help lists them")}
}

// didYouMean asks back with what is near a word; a command that stands elsewhere in the tree is near, too.
func didYouMean(c *cobra.Command, word string, names []string, otherwise string) string {
	near := name.Near(word, slices.Values(names), 3)
	path := c.CommandPath() + " "
	if len(near) == 0 {
		for _, sub := range c.Root().Commands() {
			for _, leaf := range append(sub.Commands(), sub) {
				if leaf.Name() == word && !leaf.Hidden {
					near = append(near, leaf.CommandPath())
				}
			}
		}
		path = ""
	}
	if len(near) > 3 {
		return otherwise
	}
	for i := range near {
		near[i] = path + near[i]
	}
	return name.DidYouMean(near, otherwise)
}

func unknownFlag(c *cobra.Command, flag string, short bool) error {
	if short {
		return &Usage{What: fmt.Sprintf("%s has no flag -%s", c.CommandPath(), flag)}
	}
	var names []string
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if !f.Hidden {
			names = append(names, f.Name)
		}
	})
	near := name.Near(flag, slices.Values(names), 3)
	for i := range near {
		near[i] = "--" + near[i]
	}
	return &Usage{What: fmt.Sprintf("%s has no flag --%s", c.CommandPath(), flag), Fix: name.DidYouMean(near, "")}
}

// Group makes a command that only holds others.
func Group(use, short string, subs ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: noCommand, RunE: func(c *cobra.Command, _ []string) error {
		return &Usage{What: c.CommandPath() + " needs one of its own commands", Fix: c.CommandPath() + " --help lists them"}
	}}
	c.AddCommand(subs...)
	return c
}

// A Section is a part of the list of commands in a program's help.
type Section struct {
	Title    string
	Commands []*cobra.Command
}

// Root makes a program's tree out of its sections: commands with examples, help that fits, unknown words with what is
// near them.
func Root(c *cobra.Command, width int, examples Examples, sections ...Section) *cobra.Command {
	c.SilenceErrors, c.SilenceUsage, c.Args = true, true, noCommand
	c.RunE = func(c *cobra.Command, _ []string) error { return c.Help() }
	c.SetFlagErrorFunc(flagError)
	c.CompletionOptions.DisableDescriptions = false
	for _, s := range sections {
		id := strings.ToLower(s.Title)
		c.AddGroup(&cobra.Group{ID: id, Title: s.Title})
		for _, sub := range s.Commands {
			sub.GroupID = id
		}
		c.AddCommand(s.Commands...)
	}
	last := sections[len(sections)-1]
	c.SetHelpCommandGroupID(strings.ToLower(last.Title))
	c.SetCompletionCommandGroupID(strings.ToLower(last.Title))
	c.SetHelpCommand(helpCommand())
	c.InitDefaultCompletionCmd()
	if sub, _, err := c.Find([]string{"completion"}); err == nil {
		sub.Short = "Write the script by which a shell completes words: bash, zsh, fish"
	}
	c.SetHelpFunc(func(c *cobra.Command, _ []string) { _, _ = c.OutOrStdout().Write([]byte(Help(c, width))) })
	c.SetUsageFunc(func(c *cobra.Command) error {
		_, err := c.OutOrStderr().Write([]byte(Help(c, width)))
		return err
	})
	examples.into(c)
	return c
}

func helpCommand() *cobra.Command {
	c := &cobra.Command{Use: "help [COMMAND...]", Short: "Help about a command", Args: Args(0, -1)}
	c.RunE = func(c *cobra.Command, a []string) error {
		of, rest, err := c.Root().Find(a)
		if err != nil {
			return err
		}
		if len(rest) > 0 {
			return noCommand(of, rest)
		}
		return of.Help()
	}
	c.ValidArgsFunction = func(c *cobra.Command, a []string, _ string) ([]cobra.Completion, cobra.ShellCompDirective) {
		of, _, err := c.Root().Find(a)
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		var out []cobra.Completion
		for _, sub := range of.Commands() {
			if sub.IsAvailableCommand() {
				out = append(out, cobra.CompletionWithDesc(sub.Name(), sub.Short))
			}
		}
		return out, cobra.ShellCompDirectiveNoFileComp
	}
	return c
}
