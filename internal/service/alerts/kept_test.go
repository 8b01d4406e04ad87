package alerts

import (
	"context"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/server"
	"cirque/internal/testkit/rooms"
)

type someKept []server.Summary

func (s someKept) Troubled(context.Context) ([]server.Summary, error) { return s, nil }

// TestKeptFaults: a kept server that fails, or whose agent says nothing, is wrong, at its place.
func TestKeptFaults(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 12, 1, 9, 30, 0, 0, time.UTC)
	w := rooms.New(t, "estate: 1\nlocations: [{path: ard}]\nservers: [{name: a, uri: \"ipp://a.example:631/\", kept: true, "+
		"location: ard}, {name: b, uri: \"ipp://b.example:631/\", kept: true, machine: host-b}]\n", directory.Records{})
	r := New(Config{Present: w.Present, Kept: someKept{{Server: "a", Machine: "a", State: server.Failing, LastSeen: &at,
		Says: "1 queue of 3 cannot be brought there"}, {Server: "b", Machine: "host-b", State: server.Silent, LastSeen: &at}}})
	var f finder
	if err := r.keptFaults(t.Context(), &f); err != nil || len(f.found) != 2 {
		t.Fatal(f.found, err)
	}
	for i, want := range []struct{ key, location, says string }{
		{"server a failing", "ard", "the server a is not as the estate wants it: 1 queue of 3 cannot be brought there"},
		{"server b unkept", "", "the agent on host-b, which keeps the server b, says nothing; it was last heard of on " +
			"2026-12-01 09:30 UTC"},
	} {
		if g := f.found[i]; g.Key != want.key || g.Location != want.location || g.Says != want.says || g.Fix == "" {
			t.Errorf("%+v", g)
		}
	}
	if !f.found[0].Since.IsZero() || !f.found[1].Since.Equal(at) {
		t.Error(f.found[0].Since, f.found[1].Since)
	}
}
