package server

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/words"
)

// A RowState is how one queue on a kept server stands.
type RowState string

// The states of a queue on a kept server.
const (
	RowAsWanted RowState = "as-wanted"
	RowMissing  RowState = "missing"
	RowDiffers  RowState = "differs"
	RowFailing  RowState = "failing"    // a step failed
	RowInTheWay RowState = "in-the-way" // somebody else made one of that name
	RowExtra    RowState = "extra"      // the agent's own, and no longer wanted
	RowOther    RowState = "other"      // somebody else's
)

// A Row is one queue on a kept server: as it is wanted, and as it was found.
type Row struct {
	Name    string     `json:"name"`
	Queue   string     `json:"queue,omitempty" doc:"The estate's."`
	State   RowState   `json:"state" enum:"as-wanted,missing,differs,failing,in-the-way,extra,other"`
	Says    string     `json:"says,omitempty" doc:"In what it differs, or what failed in the spooler's own words."`
	Since   *time.Time `json:"since,omitempty" doc:"Since when it fails."`
	Closed  string     `json:"closed,omitempty" doc:"Why it takes no jobs now, as the estate has it; empty where it takes them."`
	Driver  string     `json:"driver" doc:"The exact name; driverless; or as-is where what it takes is passed on."`
	People  string     `json:"people" doc:"Who may print there, in words."`
	Devices []string   `json:"devices" doc:"URIs."`
	Place   string     `json:"place,omitempty"`
	Comment string     `json:"comment,omitempty"`
	Units   string     `json:"units,omitempty" doc:"What is fitted, in words."`
	Waiting int        `json:"waiting" doc:"Jobs, when it was last looked at."`
	Points  []Point    `json:"points"`
}

// A Summary is a kept server in a list, or a machine whose agent is ready to keep one that the estate does not have.
type Summary struct {
	Server   string     `json:"server" doc:"Empty for a machine that keeps none yet."`
	Machine  string     `json:"machine"`
	Platform string     `json:"platform"`
	State    State      `json:"state" enum:"as-wanted,behind,failing,silent,waiting,ready"`
	Wanted   int        `json:"wanted" doc:"Queues that it is to have."`
	Right    int        `json:"right" doc:"Those of them that it has as wanted."`
	Failing  int        `json:"failing"`
	Others   int        `json:"others" doc:"Queues on it that somebody else made."`
	Points   int        `json:"points" doc:"What of the estate it cannot be given."`
	LastSeen *time.Time `json:"last_seen"`
	Version  string     `json:"version,omitempty" doc:"The agent's."`
	Spooler  string     `json:"spooler,omitempty"`
	Revision int        `json:"revision,omitempty" doc:"Of the estate from which what it keeps came."`
	Says     string     `json:"says"`
}

// Ready is a machine whose agent would keep a server, and for which the estate has none.
const Ready State = "ready"

// A Sheet is all about one kept server.
type Sheet struct {
	Summary
	Title   string   `json:"title,omitempty"`
	Rows    []Row    `json:"queues"`
	General []Point  `json:"points_of_server" doc:"About the whole server."`
	Passed  []Passed `json:"passed" doc:"What becomes of the jobs that waited, while it is out of duty."`
}

// NewSheet sets what a server is to have beside what its agent reported; nil is one that never did.
func NewSheet(s *estate.Server, plan Plan, r *Record, at time.Time, of Zone, every time.Duration) Sheet {
	wants, _ := At(plan.Wants, at, of)
	out := Sheet{Summary: Summary{Server: s.Name, Machine: s.KeptBy(), Platform: s.RunsOn(), Wanted: len(wants)},
		Title: s.Title, Rows: []Row{}, General: []Point{}, Passed: []Passed{}}
	var found []Found
	points := plan.Points
	if r != nil {
		out.LastSeen, out.Version, out.Spooler, out.Revision = &r.LastSeen, r.Report.Version, r.Report.Spooler,
			r.Report.Revision
		found, out.Passed = r.Report.Found, append(out.Passed, r.Report.Passed...)
		points = append(slices.Clone(points), r.Report.Points...)
	}
	drift := Drift(wants, found, s.Others == estate.ReportOthers)
	rows := map[string]*Row{}
	row := func(called string) *Row {
		k := name.Fold(called)
		if rows[k] == nil {
			rows[k] = &Row{Name: called, Devices: []string{}, Points: []Point{}}
		}
		return rows[k]
	}
	for _, f := range found {
		x := row(f.Name)
		x.State, x.Queue, x.Waiting = RowExtra, f.Queue, f.Waiting
		if !f.Own {
			x.State = RowOther
			out.Others++
		}
		x.describe(f.Want, f.Closed)
		x.Driver = cmp.Or(f.Exact, f.Model, f.Driver)
	}
	for _, w := range wants {
		x := row(w.Name)
		x.State, x.Queue = RowAsWanted, w.Queue
		x.describe(w.Want, w.Closed)
	}
	for _, d := range drift {
		x := row(d.Name)
		switch d.Kind {
		case "missing":
			x.State = RowMissing
		case "in-the-way":
			x.State, x.Says = RowInTheWay, "somebody else made a queue of this name: take it over, or rename one of the two"
		case "differs":
			x.State, x.Says = RowDiffers, fmt.Sprintf("%s is %s, and %s is wanted", d.What, orNothing(d.Found),
				orNothing(d.Wanted))
		}
	}
	if r != nil {
		out.fail(r.Report.Failures, wants, row)
	}
	for _, p := range points {
		if p.Name == "" {
			out.General = append(out.General, p)
		} else if rows[name.Fold(p.Name)] != nil {
			x := row(p.Name)
			x.Points = append(x.Points, p)
		} else { // it is not there, and will not be
			x := row(p.Name)
			x.Queue, x.State, x.Says = p.Queue, RowMissing, p.Says
			x.Points = append(x.Points, p)
		}
	}
	out.Points = len(points)
	for _, x := range rows {
		out.Rows = append(out.Rows, *x)
		switch x.State {
		case RowAsWanted:
			out.Right++
		case RowFailing:
			out.Failing++
		case RowMissing, RowDiffers, RowInTheWay, RowExtra, RowOther:
		}
	}
	slices.SortFunc(out.Rows, func(a, b Row) int { return cmp.Compare(a.Name, b.Name) })
	out.State = StateOf(r, drift, at, every)
	out.Says = out.say(r, at)
	return out
}

// fail marks what steps failed at; of a driver, the queues that need it.
func (out *Sheet) fail(list []Failure, wants []Now, row func(string) *Row) {
	mark := func(called string, f Failure) {
		x := row(called)
		since := f.Since
		x.Since = &since
		if x.State != RowInTheWay {
			x.State, x.Says = RowFailing, f.Says
		}
	}
	for _, f := range list {
		if f.Name != "" {
			mark(f.Name, f)
			continue
		}
		for _, w := range wants {
			if w.Exact == f.Exact {
				mark(w.Name, f)
			}
		}
	}
}

// describe takes over how a queue is, or is wanted.
func (x *Row) describe(w Want, closed string) {
	x.Closed, x.People, x.Place, x.Comment, x.Units = closed, w.People.String(), w.Place, w.Comment, w.Units.InWords()
	x.Driver = cmp.Or(w.Exact, w.Driver, "as-is")
	if w.Devices != nil {
		x.Devices = w.Devices
	}
}

// say puts how a server stands into one sentence.
func (out *Sheet) say(r *Record, at time.Time) string {
	switch out.State {
	case Waiting:
		return fmt.Sprintf("no agent on %s has said that it keeps it: cirque enrol token --server %s", out.Machine,
			out.Server)
	case Silent:
		return fmt.Sprintf("its agent was last heard of %s ago; what it had then it keeps", words.Span(at.Sub(r.LastSeen)))
	case Failing:
		if r.Report.Unread != "" {
			return "its spooler cannot be read: " + r.Report.Unread
		}
		return fmt.Sprintf("%s of %d cannot be brought there", words.Count(max(out.Failing, 1), "queue"), out.Wanted)
	case Behind:
		var what []string
		for _, x := range out.Rows {
			if x.State != RowAsWanted && x.State != RowOther {
				what = append(what, x.Name)
			}
		}
		return "not as wanted yet: " + words.Few(what, 3)
	case AsWanted, Ready:
	}
	if out.Wanted == 0 && out.Points > 0 {
		return "no queue that leads through it can be had there, as is said of each"
	}
	if out.Wanted == 0 {
		return "no queue of the estate leads through it yet: name it in a queue's paths, or in a set"
	}
	return fmt.Sprintf("it has %s as wanted", words.Count(out.Wanted, "queue"))
}

// OfferingSheet is all that is known of such a machine: the queues that were found there, somebody else's or left of a
// server that was kept.
func OfferingSheet(r Record) Sheet {
	out := Sheet{Summary: Offering(r), Rows: []Row{}, General: []Point{}, Passed: append([]Passed{}, r.Report.Passed...)}
	for _, f := range r.Report.Found {
		x := Row{Name: f.Name, State: RowOther, Devices: []string{}, Points: []Point{}, Waiting: f.Waiting}
		if f.Own {
			x.State, x.Queue = RowExtra, f.Queue
			x.Says = "it was kept, and is left as it was; cirque-agent clear --serve, on the machine, takes it away"
		}
		x.describe(f.Want, f.Closed)
		x.Driver = cmp.Or(f.Exact, f.Model, f.Driver)
		out.Rows = append(out.Rows, x)
	}
	return out
}

// Offering describes a machine whose agent would keep a server that the estate does not have.
func Offering(r Record) Summary {
	at := r.LastSeen
	return Summary{Machine: r.Report.Machine, Platform: r.Report.Platform, State: Ready, Others: len(r.Report.Found),
		LastSeen: &at, Version: r.Report.Version, Spooler: r.Report.Spooler, Says: fmt.Sprintf("its agent is ready to keep "+
			"it, and found %s there; the estate has no kept server for %s", words.Count(len(r.Report.Found), "queue"),
			r.Report.Machine)}
}
