// Package promise holds an estate against the promises that it keeps: contexts with what they must and must not
// receive. In go a world and the time, out come verdicts, the findings that follow from them, and what a change breaks.
package promise

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/words"
)

// A State is what came of a promise.
type State string

// The states. Unproven is where it cannot be told, as nobody knows the person or machine.
const (
	Kept     State = "kept"
	Broken   State = "broken"
	Unproven State = "unproven"
)

// A Verdict is what came of one promise.
type Verdict struct {
	Name  string   `json:"name"`
	Title string   `json:"title,omitempty"`
	State State    `json:"state" enum:"kept,broken,unproven"`
	Says  []string `json:"says" doc:"What is not as promised, or why it cannot be told; empty where it is kept."`
	Fix   string   `json:"fix,omitempty"`
}

// Verdicts holds each promise of a world's estate that has not ended against it, by name. now stands in for a time
// that is not given.
func Verdicts(w *lineup.World, now time.Time) []Verdict {
	out := []Verdict{}
	var s lineup.Scratch
	for _, p := range w.Estate.Document().Promises {
		if estate.Ended(p.Until, now) {
			continue
		}
		out = append(out, verdict(w, p, now, &s))
	}
	slices.SortFunc(out, func(a, b Verdict) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

func verdict(w *lineup.World, p estate.Promise, now time.Time, s *lineup.Scratch) Verdict {
	v := Verdict{Name: p.Name, Title: p.Title, State: Kept, Says: []string{}}
	c, err := lineup.QueryOf(context(p)).Context(now)
	var got *lineup.Lineup
	if err == nil {
		got, err = w.Resolve(c, s)
	}
	if err != nil {
		v.State, v.Says, v.Fix = Unproven, []string{fault.As(err).What}, fault.As(err).Fix
		return v
	}
	if says := unknown(w, c); says != "" {
		v.State, v.Says, v.Fix = Unproven, []string{says}, "mend the name in the promise, or take the promise out"
		return v
	}
	has := map[string]*lineup.Entry{}
	first := ""
	for i := range got.Entries {
		e := &got.Entries[i]
		has[e.Queue] = e
		if e.Default {
			first = e.Queue
		}
	}
	called := func(n string) string { // by an old name, what it is called now
		if now, ok := w.Estate.HasQueue(n); ok {
			return now
		}
		return n
	}
	for _, n := range p.Receives {
		if q := called(n); has[q] == nil {
			v.Says = append(v.Says, n+" is not received: "+why(got, q))
		}
	}
	for _, n := range p.Never {
		if e := has[called(n)]; e != nil {
			v.Says = append(v.Says, fmt.Sprintf("%s is %s by %s", n, e.Effect, strings.Join(e.Grants, ", ")))
		}
	}
	if p.Default != "" && called(p.Default) != first {
		is := "there is none"
		if first != "" {
			is = "it is " + first
		}
		v.Says = append(v.Says, fmt.Sprintf("%s is not the default: %s", p.Default, is))
	}
	if len(v.Says) > 0 {
		v.State, v.Fix = Broken, "mend the grants, or the promise; see cirque why QUEUE"
	}
	return v
}

// why says why a queue is not in a lineup.
func why(got *lineup.Lineup, queue string) string {
	for _, l := range got.LeftOut {
		if l.Queue != queue {
			continue
		}
		says := strings.ReplaceAll(string(l.Reason), "-", " ")
		if len(l.Grants) > 0 && l.Reason == lineup.Withheld {
			says += " by " + strings.Join(l.Grants, ", ")
		}
		return says
	}
	return "no grant gives it there"
}

// unknown says whom or what nobody knows.
func unknown(w *lineup.World, c lineup.Context) string {
	if c.User != "" && w.Directory.UserID(name.Fold(c.User)) == directory.NoMember {
		return "the directory does not know " + c.User
	}
	for _, m := range []string{c.Machine, c.Host} {
		known := m == "" || w.Directory.MachineID(name.Fold(m)) != directory.NoMember ||
			slices.ContainsFunc(w.Estate.Document().Stations, func(s estate.Station) bool {
				return name.Fold(s.Name) == name.Fold(m)
			})
		if !known {
			return "neither the directory nor the estate knows the machine " + m
		}
	}
	return ""
}

func context(p estate.Promise) estate.PromiseContext {
	if p.Context == nil {
		return estate.PromiseContext{}
	}
	return *p.Context
}

// Findings are what there is to remark on: a warning for each broken promise, a note for each that cannot be told.
func Findings(list []Verdict) []lineup.Finding {
	var out []lineup.Finding
	for _, v := range list {
		if v.State == Kept {
			continue
		}
		severity, says := "warning", "it is broken: "
		if v.State == Unproven {
			severity, says = "note", "it cannot be told: "
		}
		f := lineup.NewFinding(severity, "promises", v.Name, v.Fix, says+strings.Join(v.Says, "; "))
		out = append(out, f)
	}
	return out
}

// NewlyBroken are the promises that are broken after a change and were not before it: kept, not to be told, or not
// there.
func NewlyBroken(before, after []Verdict) []Verdict {
	out := []Verdict{}
	for _, v := range after {
		if v.State == Broken && !slices.ContainsFunc(before, func(b Verdict) bool {
			return b.Name == v.Name && b.State == Broken
		}) {
			out = append(out, v)
		}
	}
	return out
}

// Refuse is the fault of publishing what breaks promises; there is at least one.
func Refuse(broken []Verdict) error {
	var details []fault.Detail
	for _, v := range broken {
		details = append(details, fault.Detail{Place: "promise " + v.Name, What: strings.Join(v.Says, "; "), Fix: v.Fix})
	}
	return fault.New(fault.Conflict, "promises-broken", "mend what is below, or publish all the same: --break-promises",
		"this would break %s", words.Count(len(broken), "promise")).With(details)
}
