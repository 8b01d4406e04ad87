package continuity

import (
	"fmt"
	"time"

	"cirque/core/words"
)

// A FailoverTest is a server taken out of duty on purpose, for a while, to see what would happen if it died; with what
// was seen.
type FailoverTest struct {
	ID       int64          `json:"id"`
	Server   string         `json:"server"`
	Author   string         `json:"author"`
	Reason   string         `json:"reason"`
	Begun    time.Time      `json:"begun"`
	Until    time.Time      `json:"until" doc:"When the server returns by itself."`
	Ended    *time.Time     `json:"ended" doc:"When everybody was back, or was given up waiting for; null while it runs."`
	Stopped  string         `json:"stopped,omitempty" doc:"Who ended it early."`
	Expected Expected       `json:"expected"`
	WentOut  bool           `json:"went_out" doc:"The server was seen out of duty."`
	Steps    []FailoverStep `json:"steps" doc:"How it went, whenever something changed."`
	Stuck    []Stuck        `json:"stuck" doc:"Who had not moved when the server came back, and why."`
	Phase    string         `json:"phase" enum:"moving,out,returning,over"`
	Good     *bool          `json:"good" doc:"Whether all that could move did, and nothing failed by it; null while it runs."`
	Says     []string       `json:"says" doc:"The report, in sentences."`
}

// Expected is what the rehearsal said beforehand.
type Expected struct {
	Endpoints int `json:"endpoints" doc:"That led to the server when it began."`
	Failing   int `json:"failing" doc:"Endpoints on which something failed already."`
	Moves     int `json:"moves" doc:"People and machines that go another way."`
	Stranded  int `json:"stranded" doc:"People and machines with a queue that nothing else serves."`
	Returns   int `json:"returns" doc:"Over how many minutes the server takes its people back; 0: at once."`
}

// A FailoverStep is how it stood at a moment.
type FailoverStep struct {
	At      time.Time `json:"at"`
	Phase   string    `json:"phase" enum:"moving,out,returning,over"`
	Leading int       `json:"leading" doc:"Endpoints that led to the server."`
	Failing int       `json:"failing" doc:"Endpoints on which something failed."`
}

// failoverTestMost bounds the steps that are kept.
const failoverTestMost = 400

// BackWithin is how long after its return a failover test waits for everybody to be back.
const BackWithin = 2 * time.Minute

// Seen takes in how it stands; changed says whether that is worth keeping. serving says that the server is on duty and
// takes all of its people, back that it is on its way there.
func (e FailoverTest) Seen(now time.Time, leading, failing int, serving, back bool) (next FailoverTest, changed bool) {
	if serving && !e.WentOut && now.Before(e.Until) {
		return e, false // it is about to go out of duty
	}
	phase := "moving"
	least := e.least(leading)
	switch {
	case serving && (leading >= e.Expected.Endpoints || e.Returned() != nil && now.Sub(*e.Returned()) > BackWithin ||
		least == e.Expected.Endpoints):
		phase = "over"
	case serving || back:
		phase = "returning"
	case leading == 0 || leading == least && (e.rests(leading) || e.settled(now, leading)):
		phase = "out"
	}
	n := len(e.Steps)
	same := n > 0 && e.Steps[n-1].Phase == phase && e.Steps[n-1].Leading == leading && e.Steps[n-1].Failing == failing
	if same && (e.WentOut || serving || back) {
		return e, false
	}
	e.Phase, e.WentOut = phase, e.WentOut || !serving && !back
	if !same && (n < failoverTestMost || phase == "over") {
		e.Steps = append(append([]FailoverStep{}, e.Steps...), FailoverStep{now, phase, leading, failing})
	}
	if phase == "over" && e.Ended == nil {
		e.Ended = &now
		good := e.good()
		e.Good, e.Says = &good, e.report()
	}
	return e, true
}

// least is the fewest endpoints that led to the server so far.
func (e FailoverTest) least(leading int) int {
	for _, s := range e.Steps {
		leading = min(leading, s.Leading)
	}
	return leading
}

// rests says whether it was out already, with as many.
func (e FailoverTest) rests(leading int) bool {
	n := len(e.Steps)
	return n > 0 && e.Steps[n-1].Phase == "out" && e.Steps[n-1].Leading == leading
}

// settled says whether nothing has moved for a while; longer, where nothing has moved at all.
func (e FailoverTest) settled(now time.Time, leading int) bool {
	n, within := len(e.Steps), 5*time.Second
	if leading == e.Expected.Endpoints {
		within = 30 * time.Second
	}
	return n > 0 && e.Steps[n-1].Leading == leading && now.Sub(e.Steps[n-1].At) > within
}

// Returned is when the server came back on duty; nil before.
func (e FailoverTest) Returned() *time.Time {
	for _, s := range e.Steps {
		if s.Phase == "returning" || s.Phase == "over" {
			return &s.At
		}
	}
	return nil
}

// moved says how many endpoints moved off, and after how long the last of them.
func (e FailoverTest) moved() (n int, after time.Duration) {
	least := e.Expected.Endpoints
	for _, s := range e.Steps {
		if s.Phase != "returning" && s.Phase != "over" && s.Leading < least {
			least, after = s.Leading, s.At.Sub(e.Begun)
		}
	}
	return e.Expected.Endpoints - least, after
}

func (e FailoverTest) worst() int {
	n := 0
	for _, s := range e.Steps {
		n = max(n, s.Failing)
	}
	return n
}

// good: whoever did not move had no other way, and nothing failed that did not before.
func (e FailoverTest) good() bool {
	for _, s := range e.Stuck {
		if s.Kind != StuckNoOther {
			return false
		}
	}
	return e.worst() <= e.Expected.Failing
}

// soon says after how long something happened.
func soon(d time.Duration) string {
	if d < time.Second {
		return "at once"
	}
	return "after " + words.Span(d.Round(time.Second))
}

func (e FailoverTest) report() []string {
	out := []string{}
	add := func(says string, args ...any) { out = append(out, fmt.Sprintf(says, args...)) }
	n, after := e.moved()
	switch {
	case e.Expected.Endpoints == 0:
		add("No endpoint led to %s, so nothing was proven of endpoints", e.Server)
	case e.Expected.Endpoints == 1 && n == 0:
		add("The one endpoint that led to %s did not move", e.Server)
	case e.Expected.Endpoints == 1:
		add("The one endpoint that led to %s was led elsewhere %s", e.Server, soon(after))
	case n == 0:
		add("None of the %d endpoints that led to %s moved", e.Expected.Endpoints, e.Server)
	case n == e.Expected.Endpoints:
		add("All of the %d endpoints that led to %s were led elsewhere, the last %s", n, e.Server, soon(after))
	default:
		add("%d of the %d endpoints that led to %s were led elsewhere, the last %s", n, e.Expected.Endpoints, e.Server,
			soon(after))
	}
	add("Beforehand the rehearsal said: %s another way, %s with a queue that nothing else serves",
		words.Count(e.Expected.Moves,
			"person or machine goes", "people and machines go"), words.Count(e.Expected.Stranded, "person or machine",
			"people and machines"))
	for _, s := range e.Stuck {
		add("%s stayed: %s", s.Machine, s.Says)
	}
	if worst := e.worst(); worst > e.Expected.Failing {
		add("On %s something failed that had not before", words.Count(worst-e.Expected.Failing, "endpoint"))
	} else if e.Expected.Endpoints > 0 {
		add("Nothing failed on any endpoint that had not failed before")
	}
	if r := e.Returned(); r != nil && e.Ended != nil {
		last := e.Steps[len(e.Steps)-1]
		switch {
		case n == 0: // nobody had to come back
		case last.Leading >= e.Expected.Endpoints && e.Ended.Sub(*r) < time.Second:
			add("Everybody was back as soon as it had returned")
		case last.Leading >= e.Expected.Endpoints:
			add("Everybody was back %s after its return", words.Span(e.Ended.Sub(*r).Round(time.Second)))
		default:
			add("%d of %s were back %s after its return", last.Leading, words.Count(e.Expected.Endpoints, "endpoint"),
				words.Span(e.Ended.Sub(*r).Round(time.Second)))
		}
	}
	if r := e.Returned(); r != nil && e.Ended != nil {
		add("%s was out of duty for %s, of %s that were planned; until everybody was back, or was given up waiting for, it "+
			"took %s in all", e.Server, words.Span(r.Sub(e.Begun).Round(time.Second)), words.Span(e.Until.Sub(e.Begun)),
			words.Span(e.Ended.Sub(e.Begun).Round(time.Second)))
	}
	if e.Stopped != "" {
		add("It was ended early by %s", e.Stopped)
	}
	return out
}
