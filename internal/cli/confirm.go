package cli

import (
	"bufio"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/apiclient"
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

// lookFirst asks what a change of the estate would come to: in a dry run it is told, and that is all; else what it
// takes out may want to be confirmed.
func (r *root) lookFirst(c *cobra.Command, client *apiclient.Client, of api.CheckEstate, dry, yes bool) (told bool,
	err error) {
	of.Brief = !dry
	k, err := apiclient.Post[api.Checked](c.Context(), client, "/api/v1/estate/check", of)
	if err != nil {
		return false, err
	}
	if dry {
		return true, r.print(c, k, func(w io.Writer) { writeChecked(r, w, k) })
	}
	return false, confirmTakes(c, k.Takes, yes)
}

// confirmTakes asks before all, or most, of a list is taken out.
func confirmTakes(c *cobra.Command, takes []estate.Taking, yes bool) error {
	if len(takes) == 0 {
		return nil
	}
	var list []string
	for _, t := range takes {
		list = append(list, t.String())
	}
	return confirmed(c, yes, "--yes", "this takes out "+strings.Join(list, " and "), "Go on?")
}
