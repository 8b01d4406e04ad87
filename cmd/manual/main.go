// Command manual writes the manual pages of the programs and what their shells complete words with, into a folder:
// man/man1, and completion/{bash,zsh,fish}, named as the shells look for them.
package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"cirque/internal/agentcli"
	"cirque/internal/cli"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "manual: name the folder to write into")
		os.Exit(2)
	}
	for _, c := range []*cobra.Command{cli.Command(), agentcli.Command("", 0)} {
		if err := write(os.Args[1], c); err != nil {
			fmt.Fprintln(os.Stderr, "manual:", err)
			os.Exit(1)
		}
	}
}

func write(dir string, c *cobra.Command) error {
	completion := map[string]func(*bytes.Buffer) error{
		filepath.Join("bash", c.Name()):         func(b *bytes.Buffer) error { return c.GenBashCompletionV2(b, true) },
		filepath.Join("zsh", "_"+c.Name()):      func(b *bytes.Buffer) error { return c.GenZshCompletion(b) },
		filepath.Join("fish", c.Name()+".fish"): func(b *bytes.Buffer) error { return c.GenFishCompletion(b, true) },
	}
	for name, gen := range completion {
		var b bytes.Buffer
		if err := gen(&b); err != nil {
			return err
		}
		if err := put(filepath.Join(dir, "completion", name), b.Bytes()); err != nil {
			return err
		}
	}
	man := filepath.Join(dir, "man", "man1")
	if err := os.MkdirAll(man, 0o755); err != nil {
		return err
	}
	c.DisableAutoGenTag = true
	examplesAsCode(c)
	return doc.GenManTree(c, &doc.GenManHeader{Section: "1", Manual: "Cirque", Source: "Cirque"}, man)
}

func put(name string, text []byte) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	return os.WriteFile(name, text, 0o644)
}

// examplesAsCode lays out texts for the manual's pages: what is indented by two blanks is code there only with four.
func examplesAsCode(c *cobra.Command) {
	lines := strings.Split(c.Long, "\n")
	for i, l := range lines {
		if strings.HasPrefix(l, "  ") {
			lines[i] = "  " + l
		}
	}
	c.Long = strings.Join(lines, "\n")
	for _, sub := range c.Commands() {
		examplesAsCode(sub)
	}
}
