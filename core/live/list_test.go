package live_test

import (
	"testing"
	"time"

	"cirque/core/live"
)

// TestLacks: only what was read, and only for an hour, is known to lack anything.
func TestLacks(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	s := live.State{Lists: map[string]*live.List{
		"ps-1": live.NewList(now, now, []string{"hall-mono"}),
		"ps-2": live.NewList(now.Add(-3*time.Hour), now.Add(-50*time.Minute), nil)}}
	for _, c := range []struct {
		server, queue string
		lacks         bool
	}{{"ps-1", "hall-mono", false}, {"ps-1", "Hall-Mono", true}, {"ps-2", "hall-mono", true}, {"ps-3", "hall-mono", false}} {
		if got := s.Lacks(c.server, c.queue); got != c.lacks {
			t.Errorf("%s lacks %s: %v", c.server, c.queue, got)
		}
	}
	if at := s.NextStale(); !at.Equal(now.Add(10 * time.Minute)) {
		t.Error("the first is stale at", at)
	}
	if same, some := s.Stale(now.Add(10 * time.Minute)); some || len(same.Lists) != 2 {
		t.Error("an hour is not over")
	}
	later, some := s.Stale(now.Add(11 * time.Minute))
	if !some || later.Lacks("ps-2", "hall-mono") || !later.Lacks("ps-1", "other") || len(s.Lists) != 2 {
		t.Errorf("%v %v, of %v", later.Lists, some, s.Lists)
	}
	if later.Equal(s) || !later.Equal(live.State{Lists: map[string]*live.List{"ps-1": live.NewList(now.Add(time.Hour),
		now.Add(time.Hour), []string{"hall-mono"})}}) {
		t.Error("what is listed makes the difference, and not when")
	}
	if (live.State{}).NextStale() != (time.Time{}) {
		t.Error("nothing was read, and nothing becomes stale")
	}
}
