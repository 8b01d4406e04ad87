package test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"cirque/internal/cli"
	"cirque/internal/cmdline"
)

// TestWrongInputs gives every command of the client what is wrong, one thing at a time: names that nobody has, too few
// words, flags that are not there, and values that a flag does not take. Each is refused with the exit code of its kind
// and with what to do instead, and nothing is changed by it.
func TestWrongInputs(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(wholeEstate)
	tried := 0
	try := func(want []int, args ...string) {
		t.Helper()
		tried++
		code, out, errs := s.runWith("", args...)
		line := "cirque " + strings.Join(args, " ")
		switch {
		case !slices.Contains(want, code):
			t.Errorf("%s: exit code %d, want one of %d\n%s%s", line, code, want, out, errs)
		case !strings.HasPrefix(errs, "cirque: ") || !strings.Contains(errs, ";"):
			t.Errorf("%s: it does not say what is wrong and how to mend it:\n%s", line, errs)
		case strings.Contains(errs, "strconv") || strings.Contains(errs, "goroutine"):
			t.Errorf("%s: in a program's words:\n%s", line, errs)
		}
	}
	refused := []int{cmdline.ExitUsage, cmdline.ExitInvalid, cmdline.ExitUnknown, cmdline.ExitDenied,
		cmdline.ExitConflict, cmdline.ExitUnavailable}
	for _, c := range commandsOf(cli.Command()) {
		path := strings.Fields(c.CommandPath())[1:]
		need := wordsOf(c.Use)
		try([]int{cmdline.ExitUsage}, append(slices.Clone(path), "--nosuch-flag")...)
		if len(need) > 0 {
			try([]int{cmdline.ExitUsage, cmdline.ExitInvalid}, append(slices.Clone(path), need[1:]...)...)
		}
		if len(need) > 0 && !slices.Contains(freely, strings.Join(path, " ")) {
			try(refused, append(slices.Clone(path), need...)...)
		}
		c.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) {
			if slices.Contains([]string{"int", "int64", "duration", "span", "time"}, f.Value.Type()) {
				try([]int{cmdline.ExitUsage}, append(append(slices.Clone(path), need...), "--"+f.Name, "x!")...)
			}
		})
	}
	if tried < 200 {
		t.Errorf("only %d wrong inputs", tried)
	}
	if code, out, _ := s.run("draft"); code != 0 || !strings.Contains(out, "is empty") {
		t.Errorf("something was changed: %d %s", code, out)
	}
	t.Log(fmt.Sprint(tried, " wrong inputs"))
}

// freely are the commands that take a name which nobody has: they make it, or look for it.
var freely = []string{"charge add", "directory find", "snapshot take", "location add", "queue add", "station add",
	"backup-key"}

// commandsOf are the commands that do something, those that are no longer to be used left out.
func commandsOf(c *cobra.Command) (out []*cobra.Command) {
	if c.Hidden || c.Deprecated != "" {
		return nil
	}
	if !c.HasSubCommands() {
		return []*cobra.Command{c}
	}
	for _, sub := range c.Commands() {
		out = append(out, commandsOf(sub)...)
	}
	return out
}

// wordsOf gives a word that names nothing for each that a command needs.
func wordsOf(use string) (out []string) {
	for _, w := range strings.Fields(use)[1:] {
		if strings.HasPrefix(w, "[") || strings.HasPrefix(w, "-") || strings.HasPrefix(w, "KEY=") {
			break
		}
		out = append(out, "nosuch-thing")
	}
	return out
}
