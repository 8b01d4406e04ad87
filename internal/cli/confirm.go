package cli

import (
	"bufio"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"cirque/core/fault"
)

// confirmed says whether something may go on: yes was given, or a person at a terminal says so. Anything else gets a
// Conflict fault that says what it is about and which flag says yes.
func confirmed(c *cobra.Command, yes bool, flag, says, question string) error {
	if yes {
		return nil
	}
	if !atTerminal(c) {
		return fault.New(fault.Conflict, "not-confirmed", "say "+flag+" to go on all the same; nothing was done", "%s", says)
	}
	fmt.Fprintf(c.ErrOrStderr(), "%s.\n%s [y/N] ", strings.TrimSuffix(says, "."), question)
	line, _ := bufio.NewReader(c.InOrStdin()).ReadString('\n')
	switch strings.ToLower(strings.TrimSpace(line)) {
	case "y", "yes":
		return nil
	}
	return fault.New(fault.Conflict, "not-confirmed", "nothing was done", "it was not confirmed")
}

// atTerminal says whether a person can be asked.
func atTerminal(c *cobra.Command) bool {
	f, ok := c.InOrStdin().(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}
