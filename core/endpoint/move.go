package endpoint

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/name"
)

// A Move is how far people have moved off a server that is out of duty, or back to one that returns.
type Move struct {
	live.Note
	Endpoints int          `json:"endpoints" doc:"How many led to it when it went out of duty, or more where others came to since."`
	Left      int          `json:"left" doc:"How many still do, by what they reported last."`
	Stuck     []Stuck      `json:"stuck" doc:"The first of those that still lead to it: where a step fails, or the agent is silent, with why."`
	Waiting   *int         `json:"waiting" doc:"Jobs that wait on it; null where it was not read since."`
	Read      *time.Time   `json:"read" doc:"When that was read."`
	Empty     bool         `json:"empty" doc:"Nobody leads to it, and nothing waits on it."`
	Health    live.Verdict `json:"health" enum:"unproven,up,down"`
	Says      string       `json:"says"`
}

// A Stuck endpoint has not moved yet.
type Stuck struct {
	Machine string `json:"machine"`
	State   State  `json:"state" enum:"converged,behind,failing,silent"`
	Says    string `json:"says"`
}

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
		says = fmt.Sprintf("%s of %d still led to it at the last report", count(m.Left, "endpoint"), m.Endpoints)
	}
	switch {
	case m.Waiting == nil:
		says += "; what waits on it is not known"
	case *m.Waiting == 0:
		says += "; nothing waits on it"
	default:
		says += "; " + count2(*m.Waiting, "job waits", "jobs wait") + " on it"
	}
	if m.Until != nil && m.Duty == live.Drained {
		says += "; back in " + Span(m.Until.Sub(now))
	}
	return says
}

// noOtherPath begins what is said of whoever stays since nothing else serves their queue.
const noOtherPath = "no other path serves"

// WhyStuck says why an endpoint still leads to a server that is out of duty: leads says of a queue whether it does.
func WhyStuck(r Record, lineups []lineup.Lineup, leads func(Want) bool, state State) string {
	if state == Silent {
		return "it has said nothing since " + r.LastSeen.UTC().Format("2006-01-02 15:04 UTC")
	}
	var kept []string
	plan := PlanFor(lineups)
	for _, i := range r.Report.Installed {
		if !i.Own || !leads(i.Want) {
			continue
		}
		for _, f := range r.Report.Failures {
			if f.Queue == i.Queue && name.Fold(f.User) == name.Fold(i.User) {
				return fmt.Sprintf("%s of %s failed: %s", f.Step, f.Queue, f.Says)
			}
		}
		if slices.ContainsFunc(plan.Wants, func(w Want) bool {
			return w.Key() == i.Key() && w.URI == i.URI
		}) && !slices.Contains(kept, i.Queue) {
			kept = append(kept, i.Queue)
		}
	}
	if len(kept) > 0 {
		return noOtherPath + " " + strings.Join(kept, ", ") + ", so it is kept and prints once the server is back"
	}
	return "it has not said yet that it moved"
}

// Span writes a time span as people say it: 2 h, 1 h 59 min, 40 s.
func Span(d time.Duration) string {
	if d < 2*time.Minute && d%time.Minute != 0 {
		return fmt.Sprintf("%d s", int(d.Seconds()))
	}
	d = d.Round(time.Minute)
	h, m := int(d/time.Hour), int(d%time.Hour/time.Minute)
	switch {
	case h == 0:
		return fmt.Sprintf("%d min", m)
	case m == 0:
		return fmt.Sprintf("%d h", h)
	}
	return fmt.Sprintf("%d h %d min", h, m)
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// A Fleet is how all endpoints stand, now and over time.
type Fleet struct {
	Now     Sample   `json:"now"`
	Part    *float64 `json:"part" doc:"The part of the endpoints that has what it should; null where there are none."`
	Samples []Sample `json:"samples" doc:"One a minute, oldest first; of longer times fewer."`
	Waiting int      `json:"waiting" doc:"Agents that are connected to this process and wait for a change."`
	Pace    string   `json:"pace" doc:"How long an endpoint takes to hear of a change."`
}
