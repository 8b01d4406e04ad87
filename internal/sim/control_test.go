package sim

import (
	"net"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestControl: stand-ins are cut, joined and exchanged by whoever reads the file, and by nobody else; an exchange is
// one of another device, and the next brings the first back.
func TestControl(t *testing.T) {
	t.Parallel()
	spec := Spec{For: "10.9.0.1:631", Listen: "127.0.0.1:0", Name: "hall-40", Serial: "SK-1", MAC: "02:00:5e:10:00:10",
		UUID: "7d4c0e50-1001-4b1e-9c3a-02005e100010", SNMP: "public"}
	s, err := Start([]Spec{spec})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	file := filepath.Join(t.TempDir(), "control")
	stop, err := s.Control(file)
	if err != nil {
		t.Fatal(err)
	}
	at := s.Printers[0].Addr()
	// A connection that is open still, and one that has just ended, are no hindrance.
	open, err := net.Dial("tcp", at)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = open.Close() })
	answers := func() bool {
		c, err := net.Dial("tcp", at)
		if err != nil {
			return false
		}
		return c.Close() == nil
	}
	ask := func(what string, names ...string) error { return Ask(t.Context(), file, what, names...) }
	for _, step := range []struct {
		what    string
		answers bool
		serial  string
	}{{Cut, false, "SK-1"}, {Cut, false, "SK-1"}, {Join, true, "SK-1"}, {Join, true, "SK-1"}, {Exchange, true, "SK-1-2"},
		{Cut, false, "SK-1-2"}, {Exchange, true, "SK-1"}} {
		if err := ask(step.what, "hall-40"); err != nil {
			t.Fatal(step.what, err)
		}
		if p := s.Printers[0]; answers() != step.answers || p.Serial != step.serial || p.Addr() != at {
			t.Errorf("after %s it answers: %v, as %s at %s", step.what, answers(), p.Serial, p.Addr())
		}
		if ln, err := net.Listen("tcp", at); err == nil { // nor does anybody else, cut or not
			_ = ln.Close()
			t.Errorf("after %s another can listen at %s", step.what, at)
		}
	}
	if p := s.Printers[0]; p.MAC != spec.MAC || p.UUID != spec.UUID {
		t.Errorf("the first has not come back: %+v", p.Spec)
	}
	if err := ask(Cut, "nobody"); err == nil || !strings.Contains(err.Error(), `no stand-in "nobody"`) {
		t.Error(err)
	}
	if err := ask("burn", "hall-40"); err == nil || !strings.Contains(err.Error(), "/exchange") {
		t.Error(err)
	}
	b, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", info, err)
	}
	where, _, _ := strings.Cut(string(b), " ")
	if err := os.WriteFile(file, []byte(where+" guessed\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := ask(Cut, "hall-40"); err == nil || !answers() {
		t.Errorf("whoever guesses cut it: %v", err)
	}
	if err := stop(); err != nil {
		t.Fatal(err)
	}
	if err := ask(Cut, "hall-40"); err == nil || !strings.Contains(err.Error(), "no demo runs there") {
		t.Error(err)
	}
}
