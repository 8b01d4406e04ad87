package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"
)

// former makes a command answer to the word by which the version before knew it, for one version more; is is how it is
// written now. It is hidden, and says so on standard error.
func former(was, is string, c *cobra.Command) *cobra.Command {
	_, rest, _ := strings.Cut(c.Use, " ")
	c.Use, c.Hidden = strings.TrimSpace(was+" "+rest), true
	noteRename(c, "cirque "+is)
	return c
}

func noteRename(c *cobra.Command, is string) {
	run := c.RunE
	c.RunE = func(c *cobra.Command, a []string) error {
		fmt.Fprintf(c.ErrOrStderr(), "Note: this is %s now; the old word goes with the next version.\n", is)
		return run(c, a)
	}
	for _, sub := range c.Commands() {
		noteRename(sub, is+" "+sub.Name())
	}
}

// formerFlag makes a command take one of its flags by the name, too, that the version before gave it.
func formerFlag(c *cobra.Command, was, is string) {
	same := *c.Flags().Lookup(is) // with the same value
	same.Name, same.Shorthand, same.Hidden = was, "", true
	c.Flags().AddFlag(&same)
	run := c.RunE
	c.RunE = func(c *cobra.Command, a []string) error {
		if c.Flags().Changed(was) {
			fmt.Fprintf(c.ErrOrStderr(), "Note: --%s is --%s now; the old word goes with the next version.\n", was, is)
		}
		return run(c, a)
	}
}
