package agent_test

import (
	"os"
	"path/filepath"
	"testing"

	"cirque/internal/agent"
	"cirque/internal/testkit/conform"
)

func standIn(t *testing.T, machine string) (*agent.StandIn, string) {
	t.Helper()
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "machine.yaml"), []byte(machine), 0o644); err != nil {
		t.Fatal(err)
	}
	s, err := agent.NewStandIn(dir)
	if err != nil {
		t.Fatal(err)
	}
	return s, dir
}

func TestStandInConforms(t *testing.T) {
	conform.TestSpooler(t, func(t *testing.T) conform.Spooler {
		s, dir := standIn(t, "machine: desk-1\n")
		spoils := func(t *testing.T, queue string) {
			if err := os.WriteFile(filepath.Join(dir, "everybody", queue+".yaml"),
				[]byte("installed_by: cirque\nuri: ipp://192.0.2.1/\n"), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		return conform.Spooler{Spooler: s, Spoils: spoils, Foreign: func(t *testing.T, queue string) {
			if err := os.WriteFile(filepath.Join(dir, "everybody", queue+".yaml"), []byte("uri: ipp://192.0.2.1/\n"),
				0o644); err != nil {
				t.Fatal(err)
			}
		}}
	})
}
