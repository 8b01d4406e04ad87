package agentcli

import (
	"fmt"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"cirque/internal/cmdline"
)

// A printer prints what a command answers: for people, or as JSON or YAML.
type printer struct{ form string }

// print writes v for a program, or the lines for people.
func (p *printer) print(c *cobra.Command, v any, lines ...string) error {
	if p.form != cmdline.Table {
		return cmdline.Encode(c.OutOrStdout(), p.form, v)
	}
	for _, l := range lines {
		fmt.Fprintln(c.OutOrStdout(), l)
	}
	return nil
}

// list writes lines: for a program a list of them.
func (p *printer) list(c *cobra.Command, lines []string) error {
	return p.print(c, append([]string{}, lines...), lines...)
}

// say tells what was done.
func (p *printer) say(c *cobra.Command, format string, a ...any) error {
	says := fmt.Sprintf(format, a...)
	return p.print(c, map[string]string{"command": c.Name(), "says": says}, says)
}

// complete has shells complete what flags take.
func complete(top *cobra.Command) {
	values := map[string][]cobra.Completion{"output": {cmdline.Table, cmdline.JSON, cmdline.YAML},
		"spooler": {"system", "unix:", "standin:"}}
	for _, c := range append(top.Commands(), top) {
		c.LocalFlags().VisitAll(func(f *pflag.Flag) {
			if list, ok := values[f.Name]; ok {
				_ = c.RegisterFlagCompletionFunc(f.Name, cobra.FixedCompletions(list, cobra.ShellCompDirectiveNoFileComp))
			} else if f.Name == "state" {
				_ = c.MarkFlagDirname(f.Name) // it is there
			}
		})
	}
}
