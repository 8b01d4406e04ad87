// Package continuity decides whether servers and devices count as up or down, how far people have moved, and
// how a planned outage or a failover test goes. In go probes, reports and the time; it has no clock of its own.
package continuity

import (
	"fmt"
	"slices"
	"time"

	"cirque/core/words"
)

// A Rule says when what answers or does not counts as up or down.
type Rule struct {
	Every      time.Duration // between two probes
	DownAfter  int           // so many failures in a row
	UpAfter    int           // so many successes in a row
	FlapMost   int           // more changes than these within FlapWithin, and it is held down
	FlapWithin time.Duration
}

// A Verdict is what probing has proven. Nothing proven is a third one: what has never answered may well be out of the
// service's reach alone.
type Verdict string

// The verdicts.
const (
	Unproven Verdict = "unproven"
	Up       Verdict = "up"
	Gone     Verdict = "down"
)

// A Health is what probing has found of one server or device.
//
//	unproven -- success --> up -- DownAfter failures --> down -- UpAfter successes, and not flapping --> up
type Health struct {
	Kind     string      `json:"kind" enum:"server,device"`
	Name     string      `json:"name"`
	Verdict  Verdict     `json:"verdict" enum:"unproven,up,down"`
	Since    time.Time   `json:"since" doc:"Since when the verdict has been so."`
	Checked  time.Time   `json:"checked" doc:"The last probe."`
	Answered *time.Time  `json:"answered" doc:"When it last answered."`
	Fails    int         `json:"fails" doc:"Failed probes in a row."`
	Answers  int         `json:"answers" doc:"Successful probes in a row."`
	Says     string      `json:"says" doc:"Of the last failure."`
	Changes  []time.Time `json:"changes" doc:"When it went up or down lately."`
	Held     bool        `json:"held" doc:"It answers, and is held down because it went up and down too often."`
	// Age is filled in where it is given out.
	Age  *int    `json:"age_seconds,omitempty" doc:"How long ago it was probed."`
	Last Verdict `json:"last,omitempty" enum:"unproven,up,down" doc:"What was proven before nobody probed it any more."`
}

// Renewed is how long a verdict holds that nobody renews, where so much time lies between two probes.
func Renewed(every time.Duration) time.Duration { return 3*every + 15*time.Second }

// Aged gives what was found as it stands now: with its age, and unproven where nobody has renewed it.
func Aged(list []Health, now time.Time, every time.Duration) []Health {
	out := slices.Clone(list)
	for i := range out {
		h := &out[i]
		age := max(now.Sub(h.Checked), 0)
		seconds := int(age / time.Second)
		h.Age = &seconds
		if h.Verdict != Unproven && age > Renewed(every) {
			h.Last, h.Verdict = h.Verdict, Unproven
			h.Says = fmt.Sprintf("nobody has probed it for %s; it was %s then", words.Span(age.Round(time.Second)), h.Last)
			h.Since = h.Checked.Add(Renewed(every))
		}
	}
	return out
}

// A Probe is what came of looking whether one answers; Says is of a failure.
type Probe struct {
	OK   bool
	Says string
}

// Step takes one probe in, at a time, and says whether the verdict changed. It is the whole hysteresis: pure, and by no
// clock of its own.
func (h Health) Step(p Probe, now time.Time, r Rule) (next Health, changed bool) {
	if h.Verdict == "" {
		h.Verdict, h.Since = Unproven, now
	}
	h.Checked, h.Held = now, false
	h.Changes = slices.DeleteFunc(slices.Clone(h.Changes), func(at time.Time) bool { return now.Sub(at) > r.FlapWithin })
	if h.Changes == nil {
		h.Changes = []time.Time{}
	}
	turn := func(v Verdict) {
		changed = true
		if h.Verdict != Unproven {
			h.Changes = append(h.Changes, now)
		}
		h.Verdict, h.Since = v, now
	}
	if !p.OK {
		h.Fails, h.Answers, h.Says = h.Fails+1, 0, p.Says
		if h.Verdict == Up && h.Fails >= r.DownAfter {
			turn(Gone)
		}
		return h, changed
	}
	h.Fails, h.Answers, h.Answered = 0, h.Answers+1, &now
	switch {
	case h.Verdict == Unproven:
		turn(Up)
	case h.Verdict == Gone && h.Answers >= r.UpAfter:
		if h.Held = len(h.Changes) > r.FlapMost; !h.Held {
			turn(Up)
		}
	}
	return h, changed
}

// Next is how long after a probe the next follows: soon, where the last one failed and more failures would change the
// verdict.
func (h Health) Next(r Rule) time.Duration {
	if h.Verdict == Up && h.Fails > 0 || h.Verdict == Gone && h.Answers > 0 && !h.Held {
		return max(time.Second, r.Every/5)
	}
	return r.Every
}

// A Turn is one change of a verdict.
type Turn struct {
	Verdict Verdict   `json:"verdict" enum:"unproven,up,down"`
	Says    string    `json:"says,omitempty"`
	At      time.Time `json:"at"`
}

// Uptime gives for which part of the time between since and now something was up, of that for which anything is proven;
// ok is false where nothing is.
func Uptime(turns []Turn, since, now time.Time) (part float64, ok bool) {
	var up, all time.Duration
	for i, t := range turns {
		from, to := t.At, now
		if i+1 < len(turns) {
			to = turns[i+1].At
		}
		if from.Before(since) {
			from = since
		}
		if t.Verdict == Unproven || !to.After(from) {
			continue
		}
		all += to.Sub(from)
		if t.Verdict == Up {
			up += to.Sub(from)
		}
	}
	if all == 0 {
		return 0, false
	}
	return float64(up) / float64(all), true
}

// A HealthView is what probing has found of one, with its history.
type HealthView struct {
	Health
	Uptime *float64 `json:"uptime" doc:"For which part of the last 30 days it was up, of the time for which anything is proven; null where nothing is."`
	Turns  []Turn   `json:"turns" doc:"When it went up or down in the last 30 days, oldest first."`
}

// VerdictOf gives what is proven of a server.
func VerdictOf(list []Health, server string) Verdict {
	for _, h := range list {
		if h.Kind == "server" && h.Name == server {
			return h.Verdict
		}
	}
	return Unproven
}
