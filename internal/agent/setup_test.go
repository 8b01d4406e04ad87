package agent

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/fault"
)

// TestSetUp: what a set-up file says is read to the letter; what is wrong in it, open to others, or missing is said with
// what to do.
func TestSetUp(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	file := filepath.Join(dir, "agent.yaml")
	write := func(text string, mode os.FileMode) {
		t.Helper()
		if err := errors.Join(os.WriteFile(file, []byte(text), mode), os.Chmod(file, mode)); err != nil {
			t.Fatal(err)
		}
	}
	by := func() error {
		return EnrolBy(t.Context(), file, filepath.Join(dir, "state"), someMachine{}, slog.New(slog.DiscardHandler))
	}
	for _, c := range []struct{ text, says string }{
		{"", "names none"}, {"# service: https://x\n", "names none"}, {"service: https://c.example\n", "has no token"},
		{"servce: https://c.example\n", "servce"}, {"service: [", "cannot be read"},
		{"service: http://c.example\ntoken: x\n", "over TLS"}, {"service: https://127.0.0.1:1\ntoken: x\nmachine: [a]\n", "cannot be read"},
		{"service: https://c.example\nconsent: perhaps\n", `consent: "perhaps"`},
		{"service: https://c.example\nserve: true\nconsent: asked\n", `consent: "asked"`},
	} {
		write(c.text, 0o600)
		err := by()
		if err == nil || !strings.Contains(err.Error(), c.says) || fault.As(err).Fix == "" {
			t.Errorf("%q: %v", c.text, err)
		}
	}
	if err := os.Remove(file); err != nil {
		t.Fatal(err)
	}
	if err := by(); err == nil || !strings.Contains(fault.As(err).Fix, file) {
		t.Errorf("without a file: %v", err)
	}
	write("service: https://c.example\ntoken: x\n", 0o644)
	if err := by(); fault.As(err).Code != "secret-open" {
		t.Errorf("open to others: %v", err)
	}
	// A service that does not answer is asked again, until the agent is to stop.
	write("service: https://127.0.0.1:1\ntoken: x\n", 0o600)
	ctx, cancel := context.WithCancel(t.Context())
	log := slog.New(&heard{says: func(m string) {
		if strings.Contains(m, "asked again") {
			cancel()
		}
	}})
	if err := EnrolBy(ctx, file, filepath.Join(dir, "state"), someMachine{}, log); !errors.Is(err, context.Canceled) {
		t.Errorf("a service that is away: %v", err)
	}
	// Once the machine is enrolled the token is no use, and goes; all else stays.
	state := filepath.Join(dir, "state")
	if err := (Identity{Service: "https://c.example", Machine: "till-07"}).save(state); err != nil {
		t.Fatal(err)
	}
	write("service: https://c.example\ntoken: x\nserve: true\n", 0o600)
	if err := by(); err != nil {
		t.Fatal(err)
	}
	s, err := ReadSetUp(file)
	if err != nil || s.Token != "" || !s.Serve || s.Service != "https://c.example" {
		t.Errorf("%+v %v", s, err)
	}
}

// TestFinal: which failures of enrolling asking once more does not mend.
func TestFinal(t *testing.T) {
	t.Parallel()
	for err, want := range map[error]bool{
		&refusal{status: http.StatusForbidden}: true, &refusal{status: http.StatusBadGateway}: false,
		&refusal{status: http.StatusTooManyRequests}: false, errors.New("connection refused"): false,
		fault.New(fault.Invalid, "x", "", "x"): true, fault.New(fault.Unavailable, "answer", "", "x"): false,
		fault.New(fault.Unavailable, "service-certificate", "", "x"): true,
	} {
		if final(err) != want {
			t.Errorf("%v: %v", err, !want)
		}
	}
}

// heard is a log of which a test hears each message.
type heard struct{ says func(m string) }

func (h *heard) Enabled(context.Context, slog.Level) bool { return true }

func (h *heard) Handle(_ context.Context, r slog.Record) error { h.says(r.Message); return nil }

func (h *heard) WithAttrs([]slog.Attr) slog.Handler { return h }

func (h *heard) WithGroup(string) slog.Handler { return h }
