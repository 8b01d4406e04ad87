package agent_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/fault"
	"cirque/core/server"
	"cirque/internal/agent"
	"cirque/internal/testkit/conform"
)

// TestStandInServerConforms holds the stand-in of a server's spooler to the suite.
func TestStandInServerConforms(t *testing.T) {
	conform.TestServerSpooler(t, func(t *testing.T) conform.ServerSpooler {
		in, err := agent.NewStandIn(t.TempDir())
		if err != nil {
			t.Fatal(err)
		}
		s, err := agent.NewStandInServer(in)
		if err != nil {
			t.Fatal(err)
		}
		s.DriversFrom(func(_ context.Context, exact string) ([]byte, error) {
			if exact != conform.ExactDriver {
				return nil, fmt.Errorf("the driver %q is not here", exact)
			}
			return fmt.Appendf(nil, ppd, exact), nil
		})
		byHand := func(t *testing.T, w server.Now) {
			t.Helper()
			if err := s.ShareByHand(w); err != nil {
				t.Fatal(err)
			}
		}
		return conform.ServerSpooler{ServerSpooler: s,
			Foreign: func(t *testing.T, queue string) {
				byHand(t, server.Now{Want: server.Want{Name: queue, Comment: "Theirs"}})
			},
			Spoils: func(t *testing.T, queue string) {
				t.Helper()
				found, err := s.Shared(t.Context())
				if err != nil {
					t.Fatal(err)
				}
				w := found[0].Now
				w.Options = map[string]any{"sides": "one-sided"}
				if err := s.Bring(t.Context(), w, false); err != nil {
					t.Fatal(err)
				}
			}}
	})
}

// TestStatusOfKeeper: whoever asks at the machine of a print server reads which it keeps, and not of queues that nobody
// there is to have.
func TestStatusOfKeeper(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	for text, want := range map[string]string{
		`{"now": {"server": "", "wants": []}}`: "It is ready to keep a print server, and the estate has none for it.",
		`{"now": {"server": "ps", "revision": 7, "wants": [{"name": "a"}, {"name": "b"}]}}`: "It keeps the print server ps, " +
			"which is to have 2 queues by revision 7",
	} {
		if err := os.WriteFile(filepath.Join(state, "serving.json"), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := agent.Kept(agent.Config{State: state}); err == nil || fault.As(err).Code != "keeps-server" {
			t.Error(err)
		}
		if got := agent.Keeps(state); !strings.HasPrefix(got, want) {
			t.Errorf("%q", got)
		}
	}
	if got := agent.Keeps(t.TempDir()); got != "" {
		t.Errorf("%q", got)
	}
}
