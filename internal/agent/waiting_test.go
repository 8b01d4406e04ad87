package agent

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"

	"cirque/core/endpoint"
	"cirque/core/stock"
)

// lists is a spooler with some jobs.
type lists struct {
	Spooler
	jobs []stock.Job
	err  error
}

func (l lists) Waiting(context.Context, string, string) ([]stock.Job, error) { return l.jobs, l.err }

// TestWaiting: a checkup says of a queue that stands still what holds it up, and nothing where nothing waits.
func TestWaiting(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		s            Spooler
		result, says string
	}{
		{lists{}, "", ""},
		{mute(), "", ""},
		{lists{err: errors.New("no list")}, endpoint.Unproven, "no list"},
		{lists{jobs: []stock.Job{{Owner: "mira", State: "processing"}}}, endpoint.Yes, "1 job waits; the first is of mira: processing"},
		{lists{jobs: []stock.Job{{State: "processing-stopped", Message: "out of paper"}, {State: "pending"}}}, endpoint.No,
			"2 jobs wait; the first is of nobody: out of paper"},
	} {
		a := &Agent{cfg: Config{Spooler: c.s}}
		result, says := "", ""
		a.waiting(t.Context(), endpoint.Want{Queue: "hall"}, "hall", func(check, r, _, text string, args ...any) {
			result, says = r, fmt.Sprintf(text, args...)
			if !strings.Contains(check, "hall") {
				t.Error(check)
			}
		})
		if result != c.result || !strings.Contains(says, c.says) || c.says == "" && says != "" {
			t.Errorf("%q %q, not %q %q", result, says, c.result, c.says)
		}
	}
}

// mute is a spooler that tells of no jobs.
func mute() Spooler { return struct{ Spooler }{} }
