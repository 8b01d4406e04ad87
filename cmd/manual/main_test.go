package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"cirque/internal/agentcli"
	"cirque/internal/cli"
)

// TestWrite: every command has its page, and each shell reads what it is given.
func TestWrite(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if err := write(dir, cli.Command()); err != nil {
		t.Fatal(err)
	}
	if err := write(dir, agentcli.Command("", 0)); err != nil {
		t.Fatal(err)
	}
	for page, has := range map[string]string{"cirque.1": "cirque\\-lineup", "cirque-lineup.1": "mira.solvang",
		"cirque-directory-source-add.1": "\\-\\-directory", "cirque-agent-run.1": "\\-\\-spooler"} {
		b, err := os.ReadFile(filepath.Join(dir, "man", "man1", page))
		if err != nil || !strings.Contains(strings.ReplaceAll(string(b), "-", "\\-"), has) &&
			!strings.Contains(string(b), has) {
			t.Errorf("%s does not speak of %s: %v", page, has, err)
		}
	}
	for shell, files := range map[string][]string{"bash": {"bash/cirque", "bash/cirque-agent"}, "zsh": {"zsh/_cirque"},
		"fish": {"fish/cirque.fish"}} {
		for _, f := range files {
			name := filepath.Join(dir, "completion", f)
			if _, err := os.Stat(name); err != nil {
				t.Error(err)
			}
			if path, err := exec.LookPath(shell); err == nil {
				if out, err := exec.Command(path, "-n", name).CombinedOutput(); err != nil {
					t.Errorf("%s does not read %s: %s", shell, f, out)
				}
			}
		}
	}
}
