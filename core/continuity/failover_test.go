package continuity

import (
	"strings"
	"testing"
	"time"
)

func TestFailoverTest(t *testing.T) {
	t.Parallel()
	begun := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	type look struct {
		second           int
		leading, failing int
		serving, back    bool
	}
	for says, c := range map[string]struct {
		expected Expected
		stuck    []Stuck
		looks    []look
		phases   string
		good     bool
		report   []string
	}{
		"everybody moves and comes back": {Expected{Endpoints: 4, Moves: 6}, nil,
			[]look{{0, 4, 0, false, false}, {1, 2, 0, false, false}, {3, 0, 0, false, false}, {60, 0, 0, false, true},
				{65, 3, 0, false, true}, {80, 4, 0, true, false}},
			"moving moving out returning returning over", true, []string{"All of the 4 endpoints that led to ps-1 were led " +
				"elsewhere, the last after 3 s", "Everybody was back 20 s after its return", "Nothing failed"}},
		"one has no other way": {Expected{Endpoints: 2, Stranded: 1},
			[]Stuck{{Machine: "desk-9", Kind: StuckNoOther, Says: "no other path serves accounts, so it is kept"}},
			[]look{{0, 2, 1, false, false}, {1, 1, 1, false, false}, {20, 1, 1, false, false}, {60, 2, 1, true, false}},
			"moving moving out over", false, []string{"1 of the 2 endpoints", "desk-9 stayed: no other path serves accounts",
				"1 person or machine with a queue that nothing else serves"}},
		"something fails by it": {Expected{Endpoints: 1}, nil,
			[]look{{0, 1, 0, false, false}, {1, 1, 1, false, false}, {60, 1, 1, true, false}},
			"moving moving over", false, []string{"The one endpoint that led to ps-1 did not move", "On 1 endpoint something " +
				"failed that had not before"}},
		"they do not all come back": {Expected{Endpoints: 2}, nil,
			[]look{{0, 2, 0, false, false}, {1, 0, 0, false, false}, {60, 0, 0, true, false}, {61, 1, 0, true, false},
				{200, 1, 0, true, false}},
			"moving out returning returning over", true, []string{"1 of 2 endpoints were back"}},
		"nobody led there": {Expected{}, nil, []look{{0, 0, 0, false, false}, {60, 0, 0, true, false}}, "out over", true,
			[]string{"No endpoint led to ps-1"}},
	} {
		e := FailoverTest{Server: "ps-1", Begun: begun, Until: begun.Add(time.Minute), Expected: c.expected, Stuck: c.stuck}
		if _, changed := e.Seen(begun, c.expected.Endpoints, 0, true, true); changed {
			t.Errorf("%s: it is over before it has begun", says)
		}
		var phases []string
		for _, l := range c.looks {
			next, changed := e.Seen(begun.Add(time.Duration(l.second)*time.Second), l.leading, l.failing, l.serving, l.back)
			if changed {
				phases = append(phases, next.Phase)
			}
			if again, twice := next.Seen(begun.Add(time.Duration(l.second)*time.Second), l.leading, l.failing, l.serving,
				l.back); twice && next.Phase != "over" {
				t.Errorf("%s: the same look changes it twice: %+v", says, again)
			}
			e = next
		}
		if strings.Join(phases, " ") != c.phases {
			t.Errorf("%s: %s, want %s", says, strings.Join(phases, " "), c.phases)
		}
		if e.Ended == nil || e.Good == nil {
			t.Errorf("%s: it has not ended: %+v", says, e)
			continue
		}
		if c.stuck == nil && *e.Good != c.good {
			t.Errorf("%s: good %v", says, *e.Good)
		}
		for _, want := range c.report {
			if !strings.Contains(strings.Join(e.Says, "\n"), want) {
				t.Errorf("%s: the report lacks %q:\n%s", says, want, strings.Join(e.Says, "\n"))
			}
		}
	}
}

// TestFailoverBegins: that the server has gone out is kept, and is no step of its own where all else is as it was.
func TestFailoverBegins(t *testing.T) {
	t.Parallel()
	begun := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	e := FailoverTest{Server: "ps-1", Begun: begun, Until: begun.Add(time.Minute), Expected: Expected{Endpoints: 2},
		Steps: []FailoverStep{{At: begun, Phase: "moving", Leading: 2}}}
	e, changed := e.Seen(begun.Add(time.Second), 2, 0, false, false)
	if !changed || !e.WentOut || len(e.Steps) != 1 {
		t.Errorf("%v %+v", changed, e)
	}
	if e, changed = e.Seen(begun.Add(2*time.Second), 0, 0, false, false); !changed || len(e.Steps) != 2 {
		t.Errorf("%v %+v", changed, e)
	}
}
