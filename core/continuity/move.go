package continuity

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/endpoint"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/name"
	"cirque/core/words"
)

// A Move is how far people have moved off a server that is out of duty, or back to one that returns.
type Move struct {
	live.Note
	Endpoints int        `json:"endpoints" doc:"How many led to it when it went out of duty, or more where others came to since."`
	Left      int        `json:"left" doc:"How many still do, by what they reported last."`
	Stuck     []Stuck    `json:"stuck" doc:"The first of those that still lead to it: where a step fails, or the agent is silent, with why."`
	Waiting   *int       `json:"waiting" doc:"Jobs that wait on it; null where it was not read since."`
	Read      *time.Time `json:"read" doc:"When that was read."`
	Empty     bool       `json:"empty" doc:"Nobody leads to it, and nothing waits on it."`
	Health    Verdict    `json:"health" enum:"unproven,up,down"`
	Says      string     `json:"says"`
}

// A Stuck endpoint has not moved yet.
type Stuck struct {
	Machine string         `json:"machine"`
	State   endpoint.State `json:"state" enum:"converged,behind,failing,silent"`
	Kind    StuckKind      `json:"kind" enum:"silent,failed,no-other-path,under-way"`
	Says    string         `json:"says"`
}

// A StuckKind is why an endpoint still leads to a server that is out of duty.
type StuckKind string

// The kinds.
const (
	StuckSilent   StuckKind = "silent"        // it says nothing
	StuckFailed   StuckKind = "failed"        // a change failed there
	StuckNoOther  StuckKind = "no-other-path" // nothing else serves one of its queues, which is kept on purpose
	StuckUnderWay StuckKind = "under-way"     // it has not said yet that it moved
)

// Sentence says how far it is.
func (m Move) Sentence(now time.Time) string {
	if m.Duty == live.Serving {
		if m.Until == nil {
			return "it is on duty"
		}
		return fmt.Sprintf("it takes %.0f %% of its people so far, and all of them from %s on", m.Share*100,
			m.Until.UTC().Format("15:04 UTC"))
	}
	says := "everybody has moved off it"
	if m.Left > 0 {
		says = fmt.Sprintf("%s of %d still led to it at the last report", words.Count(m.Left, "endpoint"), m.Endpoints)
	}
	switch {
	case m.Waiting == nil:
		says += "; what waits on it is not known"
	case *m.Waiting == 0:
		says += "; nothing waits on it"
	default:
		says += "; " + words.Count(*m.Waiting, "job waits", "jobs wait") + " on it"
	}
	if m.Until != nil && m.Duty == live.Drained {
		says += "; back in " + words.Span(m.Until.Sub(now))
	}
	return says
}

// WhyStuck says why an endpoint still leads to a server that is out of duty: leads says of a queue whether it does.
func WhyStuck(r endpoint.Record, lineups []lineup.Lineup, leads func(endpoint.Want) bool,
	state endpoint.State) (kind StuckKind, says string) {
	if state == endpoint.Silent {
		return StuckSilent, "it has said nothing since " + r.LastSeen.UTC().Format("2006-01-02 15:04 UTC")
	}
	var kept []string
	plan := endpoint.PlanFor(lineups)
	for _, i := range r.Report.Installed {
		if !i.Own || !leads(i.Want) {
			continue
		}
		for _, f := range r.Report.Failures {
			if f.Queue == i.Queue && name.Fold(f.User) == name.Fold(i.User) {
				return StuckFailed, fmt.Sprintf("%s of %s failed: %s", f.Step, f.Queue, f.Says)
			}
		}
		if slices.ContainsFunc(plan.Wants, func(w endpoint.Want) bool {
			return w.Key() == i.Key() && w.URI == i.URI
		}) && !slices.Contains(kept, i.Queue) {
			kept = append(kept, i.Queue)
		}
	}
	if len(kept) > 0 {
		return StuckNoOther, "no other path serves " + strings.Join(kept, ", ") + ", so it is kept and prints once the " +
			"server is back"
	}
	return StuckUnderWay, "it has not said yet that it moved"
}
