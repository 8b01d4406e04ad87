// Package endpoint holds what is wanted on an endpoint, what it reports, and the drift between the two. The agent and
// the service both work from it, so that they cannot disagree.
package endpoint

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
)

// Limits on a report.
const (
	MaxContexts  = 256
	MaxInstalled = 4096
)

// A Want is one queue that an endpoint is to have.
type Want struct {
	Queue   string         `json:"queue" yaml:"queue"`
	User    string         `json:"user,omitempty" yaml:"user,omitempty" doc:"Whose it is; empty for everybody on the machine."`
	Title   string         `json:"title,omitempty" yaml:"title,omitempty"`
	URI     string         `json:"uri" yaml:"uri"`
	Driver  string         `json:"driver" yaml:"driver"`
	Exact   string         `json:"exact,omitempty" yaml:"exact,omitempty"`
	Options map[string]any `json:"options,omitempty" yaml:"options,omitempty"`
	Place   string         `json:"place,omitempty" yaml:"place,omitempty" doc:"Where it is, in words, where the spooler shows that."`
	Units   *estate.Units  `json:"units,omitempty" yaml:"units,omitempty" doc:"What is fitted to its printer, for its driver; absent where nobody said."`
	Restore bool           `json:"restore" yaml:"-" doc:"Comes back when somebody removes it."`
	Closed  string         `json:"closed,omitempty" yaml:"closed,omitempty" maxLength:"512" doc:"Why it takes no jobs at present, in a sentence for whoever prints; empty where it takes them."`
}

// Key names a want: a queue for one user, or for everybody.
func (w Want) Key() Key { return Key{name.Fold(w.User), w.Queue} }

// A Key tells wants and installed queues apart. User is folded.
type Key struct {
	User  string `json:"user,omitempty"`
	Queue string `json:"queue"`
}

// A Default is the queue that is to be a user's default, or the machine's where User is empty.
type Default struct {
	User   string `json:"user,omitempty"`
	Queue  string `json:"queue"`
	Insist bool   `json:"insist" doc:"Overrules the person's own choice."`
}

// A Plan is all that an endpoint is to have.
type Plan struct {
	Wants    []Want
	Defaults []Default
}

// PlanFor flattens the lineups of an endpoint's contexts: what is placed or picked, once for everybody where the scope
// is the machine, else for the context's user. Of two lineups that give the same queue, the first counts.
func PlanFor(lineups []lineup.Lineup) Plan {
	var p Planner
	for i := range lineups {
		p.Add(&lineups[i])
	}
	return p.Plan
}

// A Planner is PlanFor lineup by lineup: each may be overwritten once it was added. The zero Planner has an empty plan.
type Planner struct {
	Plan

	have     map[Key]bool
	defaults map[string]bool
}

// Add takes in the lineup of a further context.
func (p *Planner) Add(l *lineup.Lineup) {
	if p.have == nil {
		p.have, p.defaults = make(map[Key]bool, len(l.Entries)), map[string]bool{}
		p.Wants = make([]Want, 0, len(l.Entries))
	}
	user := ""
	if l.Context.User != nil {
		user = *l.Context.User
	}
	folded := name.Fold(user)
	for i := range l.Entries {
		e := &l.Entries[i]
		if e.Effect == lineup.Offered {
			continue
		}
		w := Want{Queue: e.Queue, URI: e.Path.URI, Driver: e.Driver, Options: e.Options, Restore: e.IfRemoved == "restore"}
		if e.Title != nil {
			w.Title = *e.Title
		}
		if e.NotAccepting != nil {
			w.Closed = closedSays[*e.NotAccepting]
		}
		if e.Exact != nil {
			w.Exact = *e.Exact
		}
		key := Key{"", e.Queue}
		if e.Scope == "user" {
			w.User, key.User = user, folded
		}
		if !p.have[key] {
			p.have[key] = true
			p.Wants = append(p.Wants, w)
		}
		if e.Default && !p.defaults[folded] {
			p.defaults[folded] = true
			p.Defaults = append(p.Defaults, Default{user, e.Queue, e.Insist})
		}
	}
}

// closedSays is said of a queue that takes no jobs where nothing better is known.
var closedSays = map[string]string{
	lineup.ByPause: "This queue is paused: it takes no jobs until it is resumed.",
	lineup.ByHours: "This queue is closed at this hour: it takes no jobs.",
}

// An Installed is one queue that was found on the endpoint.
type Installed struct {
	Want
	Default bool `json:"default"`
	Own     bool `json:"own" doc:"Installed by the agent; what is not, is never touched."`
	Halted  bool `json:"halted,omitempty" doc:"It prints nothing, or takes no jobs, though it should."`
}

// A Failure is a step that did not succeed.
type Failure struct {
	Queue string    `json:"queue"`
	User  string    `json:"user,omitempty"`
	Step  string    `json:"step" enum:"add,change,remove,default"`
	Cause string    `json:"cause,omitempty" enum:"driver" doc:"What it failed for: a driver that could not be had."`
	Says  string    `json:"says" doc:"The spooler's own words."`
	Since time.Time `json:"since"`
}

// CauseDriver is the cause of failures for want of a driver.
const CauseDriver = "driver"

// A Report is what an agent says of its endpoint.
type Report struct {
	Machine   string            `json:"machine" maxLength:"256"`
	Version   string            `json:"version" maxLength:"64"`
	Platform  string            `json:"platform" maxLength:"32"`
	Spooler   string            `json:"spooler" maxLength:"64"`
	Revision  int               `json:"revision" doc:"Of the estate from which its present lineups came."`
	Contexts  []lineup.Query    `json:"contexts" maxItems:"256"`
	Logins    []Login           `json:"logins,omitempty" maxItems:"256" doc:"Who is signed in, and for whom lineups are asked."`
	Installed []Installed       `json:"installed" maxItems:"4096"`
	Staged    []Staged          `json:"staged,omitempty" maxItems:"1024" doc:"Drivers whose files the agent keeps."`
	Drivers   []InstalledDriver `json:"drivers,omitempty" maxItems:"1024" doc:"What the system has under exact names, used or not; absent where its spooler does not tell."`
	Attached  []Attached        `json:"attached,omitzero" required:"false" maxItems:"64" doc:"What is plugged into the machine; absent where its spooler does not tell."`

	AttachedAt *time.Time `json:"attached_at,omitempty" doc:"When the machine looked what is plugged in."`

	Removed  []Key     `json:"removed,omitempty" maxItems:"4096" doc:"Queues that somebody removed and that stay away."`
	Failures []Failure `json:"failures" maxItems:"4096"`
	// Updates comes in a header, so that services of the version before take the report.
	Updates string `json:"updates,omitempty" required:"false" maxLength:"16" doc:"How the agent is brought to another version: the kind of its package, or left where that is device management's; absent where it cannot be."`
	// Waits, too.
	Waits bool `json:"waits,omitempty" required:"false" doc:"Its agent changes nothing there before somebody has agreed on the machine; its differences are what it would do."`
}

// Check holds the report to its limits.
func (r Report) Check() error {
	if !name.Valid(r.Machine) || len(r.Contexts) == 0 || len(r.Contexts) > MaxContexts || len(r.Installed) > MaxInstalled {
		return fault.New(fault.Invalid, "report-invalid", "update the agent", "the report names no machine or no context, "+
			"or is too long")
	}
	return nil
}

// A Record is an endpoint as the service knows it.
type Record struct {
	FirstSeen time.Time `json:"first_seen"`
	LastSeen  time.Time `json:"last_seen"`
	SeenFrom  string    `json:"seen_from,omitempty" doc:"The address from which its last report came, as the service saw it."`
	Report    Report    `json:"report"`
}

// A Difference is one way in which an endpoint is not as it should be.
type Difference struct {
	Queue  string `json:"queue"`
	User   string `json:"user,omitempty"`
	Kind   string `json:"kind" enum:"missing,extra,differs,default"`
	Wanted string `json:"wanted,omitempty"`
	Found  string `json:"found,omitempty"`
}

// Drift lists the differences between what is wanted and what is reported, by user and queue.
func Drift(p Plan, r Report) []Difference {
	out := []Difference{}
	found := map[Key]Installed{}
	for _, i := range r.Installed {
		if i.Own {
			found[i.Key()] = i
		}
	}
	away := map[Key]bool{}
	for _, k := range r.Removed {
		away[Key{name.Fold(k.User), k.Queue}] = true
	}
	wanted := map[Key]bool{}
	for _, w := range p.Wants {
		wanted[w.Key()] = true
		i, ok := found[w.Key()]
		switch what, want, have := Differs(w, i.Want); {
		case !ok && away[w.Key()] && !w.Restore:
		case !ok:
			out = append(out, Difference{Queue: w.Queue, User: w.User, Kind: "missing"})
		case what != "":
			out = append(out, Difference{w.Queue, w.User, "differs", what + " " + want, what + " " + have})
		case i.Halted:
			out = append(out, Difference{w.Queue, w.User, "differs", "printing", "halted"})
		}
	}
	for _, i := range r.Installed {
		if i.Own && !wanted[i.Key()] {
			out = append(out, Difference{Queue: i.Queue, User: i.User, Kind: "extra"})
		}
	}
	for _, d := range p.Defaults {
		if d.Insist && !r.isDefault(d) {
			out = append(out, Difference{Queue: d.Queue, User: d.User, Kind: "default", Wanted: "default"})
		}
	}
	slices.SortStableFunc(out, func(a, b Difference) int {
		return cmp.Or(cmp.Compare(a.User, b.User), cmp.Compare(a.Queue, b.Queue))
	})
	return out
}

func (r Report) isDefault(d Default) bool {
	return slices.ContainsFunc(r.Installed, func(i Installed) bool {
		return i.Default && i.Queue == d.Queue && (i.User == "" || name.Fold(i.User) == name.Fold(d.User))
	})
}

// Differs says in which respect an installed queue is not as wanted; what is empty where it is.
func Differs(w, i Want) (what, wanted, found string) {
	switch {
	case w.URI != i.URI:
		return "uri", w.URI, i.URI
	case w.Driver != i.Driver || w.Exact != i.Exact:
		return "driver", cmp.Or(w.Exact, w.Driver), cmp.Or(i.Exact, i.Driver)
	case w.Title != i.Title:
		return "title", w.Title, i.Title
	case w.Place != "" && w.Place != i.Place:
		return "place", w.Place, i.Place
	case w.Units != nil && w.Units.InWords() != i.Units.InWords():
		return "units", w.Units.InWords(), i.Units.InWords()
	case len(w.Options) != len(i.Options):
		return "options", fmt.Sprint(w.Options), fmt.Sprint(i.Options)
	}
	for k, v := range w.Options {
		if !sameValue(v, i.Options[k]) {
			return k, fmt.Sprint(v), fmt.Sprint(i.Options[k])
		}
	}
	return "", "", ""
}

// sameValue compares option values that may have been through JSON or YAML, which know numbers differently.
func sameValue(a, b any) bool {
	return reflect.DeepEqual(a, b) || fmt.Sprint(a) == fmt.Sprint(b)
}

// A State is how an endpoint stands.
type State string

// The states.
const (
	Converged State = "converged" // it has what it should
	Behind    State = "behind"    // it differs, and has not said that a step failed
	Failing   State = "failing"   // a step failed
	Silent    State = "silent"    // it has not been heard of for longer than it should
)

// A Sample is how many endpoints stood how at a time.
type Sample struct {
	At        time.Time `json:"at"`
	Converged int       `json:"converged"`
	Behind    int       `json:"behind"`
	Failing   int       `json:"failing"`
	Silent    int       `json:"silent"`
}

// SilentAfter is how many intervals of reporting an endpoint may miss before it counts as silent.
const SilentAfter = 3

// StateOf judges an endpoint that is to report so often.
func StateOf(r Record, drift []Difference, now time.Time, every time.Duration) State {
	switch {
	case now.Sub(r.LastSeen) > SilentAfter*every:
		return Silent
	case len(r.Report.Failures) > 0:
		return Failing
	case len(drift) > 0:
		return Behind
	}
	return Converged
}

// SampleEvery is how often it is noted how the fleet fares.
const SampleEvery = time.Minute

// A Fleet is how all endpoints stand, now and over time.
type Fleet struct {
	Now     Sample   `json:"now"`
	Part    *float64 `json:"part" doc:"The part of the endpoints that has what it should; null where there are none."`
	Samples []Sample `json:"samples" doc:"One a minute, oldest first; of longer times fewer."`
	Waiting int      `json:"waiting" doc:"Agents that are connected to this process and wait for a change."`
	Pace    string   `json:"pace" doc:"How long an endpoint takes to hear of a change."`
}

// Called gives the name under which an own queue is installed there: its present one, else a former one that the
// endpoint has not parted with yet, else the present one.
func (r Report) Called(queue string, formerly []string) string {
	here := func(called string) bool {
		return slices.ContainsFunc(r.Installed, func(i Installed) bool { return i.Own && i.Queue == called })
	}
	if !here(queue) {
		for _, f := range formerly {
			if here(f) {
				return f
			}
		}
	}
	return queue
}
