package tries

import (
	"strings"
	"testing"
	"time"
)

func TestSlowdown(t *testing.T) {
	t.Parallel()
	s := New()
	now := time.Now()
	var waits []time.Duration
	for range 14 {
		wait := time.Duration(0)
		for s.Check("k", now.Add(wait)) != nil {
			wait += 500 * time.Millisecond
		}
		waits = append(waits, wait)
		s.Failed("k", now)
	}
	for i, want := range map[int]time.Duration{0: 0, 2: 0, 3: time.Second, 4: 2 * time.Second, 6: 8 * time.Second,
		13: longestWait} {
		if waits[i] != want {
			t.Errorf("after %d failures one waits %v, want %v", i, waits[i], want)
		}
	}
	if s.Check("other", now) != nil {
		t.Error("another waits too")
	}
	s.Forget("k")
	if s.Check("k", now) != nil {
		t.Error("forgotten, and still waiting")
	}
	for i := range mostFailures + 10 {
		s.Failed(strings.Repeat("x", i%7)+time.Duration(i).String(), now)
	}
	if s.failures.Len() > mostFailures {
		t.Errorf("%d are kept", s.failures.Len())
	}
}
