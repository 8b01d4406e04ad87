package cli

import (
	"testing"

	"cirque/core/estate"
	"cirque/core/lineup"
)

// TestQueueOrigin: how a queue is reached, that it is a pool, and what it is for besides people's work.
func TestQueueOrigin(t *testing.T) {
	t.Parallel()
	for _, row := range []struct {
		queue          estate.Queue
		through, state string
	}{
		{estate.Queue{Devices: []string{"d"}, Paths: []estate.Path{{Device: "d"}}}, "device d", "open"},
		{estate.Queue{Paths: []estate.Path{{Server: "ps-1"}, {Gateway: true}}}, "server ps-1, gateway", "open"},
		{estate.Queue{Devices: []string{"a", "b"}, Paths: []estate.Path{{Gateway: true}}}, "gateway (a pool of 2)", "open"},
		{estate.Queue{Paths: []estate.Path{{Set: "pair"}}, Purpose: estate.Practice}, "set pair", "open, for practice"},
		{estate.Queue{Paused: true, Purpose: estate.Helper}, "", "paused, for programs alone"},
		{estate.Queue{Retired: true, Purpose: estate.Helper}, "", "retired"},
	} {
		q := lineup.NewQueueSheet(row.queue, nil, lineup.Given{}, lineup.Keeps{})
		if got := through(q); got != row.through {
			t.Errorf("through %q, want %q", got, row.through)
		}
		if got := queueState(q); got != row.state {
			t.Errorf("%q, want %q", got, row.state)
		}
	}
}
