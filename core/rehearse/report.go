package rehearse

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/promise"
)

// A Count is how many people and machines, and in how many of the contexts looked at.
type Count struct {
	People   int `json:"people"`
	Machines int `json:"machines"`
	Contexts int `json:"contexts"`
}

// A Group is everything of one grant, queue, location or group of the directory.
type Group struct {
	Key    string         `json:"key"`
	Counts map[Kind]Count `json:"counts" doc:"By kind of change; kinds that do not occur are absent."`
	most   int
}

// A Report is what a rehearsal found.
type Report struct {
	From     int               `json:"from" doc:"The revision that is compared with."`
	Changes  int               `json:"changes" doc:"Objects that differ between the two estates."`
	Cases    Count             `json:"cases" doc:"Everything that could be looked at."`
	Looked   int               `json:"looked" doc:"Contexts that the change can touch, all of which were worked out."`
	Seen     int               `json:"seen" doc:"Contexts that an endpoint reported; the others know only who it is."`
	Now      time.Time         `json:"now"`
	Until    time.Time         `json:"until" doc:"Edges of opening hours were looked at up to here."`
	Times    []time.Time       `json:"times" doc:"The edges that were looked at besides now."`
	Totals   map[Kind]Count    `json:"totals" doc:"By kind of change."`
	Touched  Count             `json:"touched" doc:"Whoever has any change."`
	By       map[By][]Group    `json:"by" doc:"The same by grant, queue, location and group, the most touched first."`
	Findings []lineup.Finding  `json:"findings" doc:"What would be to remark on, and is not so now."`
	Promises int               `json:"promises" doc:"How many promises there would be."`
	Broken   []promise.Verdict `json:"broken_promises" doc:"Promises that would be broken, and are not so now."`
	Holes    []Hole            `json:"holes" doc:"Queues that would have no driver or no path for somebody's platform."`
}

// A Hole is a queue that is granted and cannot be had on a platform.
type Hole struct {
	Queue    string `json:"queue"`
	Platform string `json:"platform" doc:"Empty where none is known."`
	Reason   Kind   `json:"reason" enum:"no-driver,no-path"`
	Count
}

// By is what a report is grouped by.
type By string

// The ways of grouping.
const (
	ByGrant    By = "grant"
	ByQueue    By = "queue"
	ByLocation By = "location"
	ByGroup    By = "group"
)

// Report sums a whole run up. dir tells whose groups count: those of the new world.
func (p *Plan) Report(all *Part) *Report {
	r := &Report{Findings: []lineup.Finding{}, Broken: []promise.Verdict{}, From: p.Old.Estate.Revision(),
		Changes: len(p.Changes),
		Looked:  all.Looked, Now: p.Now,
		Until: p.Now.Add(Week), Times: all.Times, Totals: map[Kind]Count{}, By: map[By][]Group{}, Holes: []Hole{}}
	if r.Times == nil {
		r.Times = []time.Time{}
	}
	last := ""
	for i := range p.Cases {
		c := &p.Cases[i]
		if c.Seen {
			r.Seen++
		}
		r.Cases.Contexts++
		if who := c.Kind + " " + c.Name; who != last {
			r.Cases.add(c.Kind)
			last = who
		}
	}
	totals, touched := tally{}, tally{}
	by := map[By]tally{ByGrant: {}, ByQueue: {}, ByLocation: {}, ByGroup: {}}
	holes := tally{}
	for i := range all.Effects {
		e := &all.Effects[i]
		c := &p.Cases[e.Case]
		who := c.Kind + " " + c.Name
		touched.add("", "", c.Kind, who, e.Case)
		groups := p.groupsOf(c)
		for _, item := range e.Items {
			totals.add("", item.Kind, c.Kind, who, e.Case)
			if item.Queue != "" {
				by[ByQueue].add(item.Queue, item.Kind, c.Kind, who, e.Case)
			}
			for _, g := range item.Grant {
				by[ByGrant].add(g, item.Kind, c.Kind, who, e.Case)
			}
			by[ByLocation].add(e.Location, item.Kind, c.Kind, who, e.Case)
			for _, g := range groups {
				by[ByGroup].add(g, item.Kind, c.Kind, who, e.Case)
			}
			if item.Kind == NoDriver || item.Kind == NoPath {
				holes.add(item.Queue+"\x00"+c.Context.Platform, item.Kind, c.Kind, who, e.Case)
			}
		}
	}
	for k, n := range totals[""] {
		r.Totals[k] = n.Count
	}
	if n := touched[""][""]; n != nil {
		r.Touched = n.Count
	}
	for way, t := range by {
		r.By[way] = t.groups()
	}
	for key, kinds := range holes {
		for k, n := range kinds {
			queue, platform, _ := strings.Cut(key, "\x00")
			r.Holes = append(r.Holes, Hole{queue, platform, k, n.Count})
		}
	}
	slices.SortFunc(r.Holes, func(a, b Hole) int {
		return cmp.Or(cmp.Compare(a.Queue, b.Queue), cmp.Compare(a.Platform, b.Platform), cmp.Compare(a.Reason, b.Reason))
	})
	return r
}

// groupsOf names the groups of a case's user or machine, in the new world.
func (p *Plan) groupsOf(c *Case) []string {
	d := p.New.Directory
	var ids []directory.GroupID
	if c.Kind == "user" {
		ids = d.UserGroups(d.UserID(name.Fold(c.Name)))
	} else {
		ids = d.MachineGroups(d.MachineID(name.Fold(c.Name)))
	}
	out := make([]string, len(ids))
	for i, id := range ids {
		out[i] = d.Group(id).Name
	}
	return out
}

func (c *Count) add(kind string) {
	if kind == "user" {
		c.People++
	} else {
		c.Machines++
	}
}

// tally counts by key and kind; the cases of one person come together, so that who came last is enough to count each
// once.
type tally map[string]map[Kind]*counter

type counter struct {
	Count
	who  string
	last int32
}

func (t tally) add(key string, kind Kind, of, who string, at int32) {
	kinds := t[key]
	if kinds == nil {
		kinds = map[Kind]*counter{}
		t[key] = kinds
	}
	n := kinds[kind]
	if n == nil {
		n = &counter{last: -1}
		kinds[kind] = n
	}
	if n.who != who {
		n.who = who
		n.Count.add(of)
	}
	if n.last != at {
		n.last = at
		n.Contexts++
	}
}

func (t tally) groups() []Group {
	out := make([]Group, 0, len(t))
	for key, kinds := range t {
		g := Group{Key: key, Counts: map[Kind]Count{}}
		for k, n := range kinds {
			g.Counts[k] = n.Count
			g.most += n.Contexts
		}
		out = append(out, g)
	}
	slices.SortFunc(out, func(a, b Group) int { return cmp.Or(-cmp.Compare(a.most, b.most), cmp.Compare(a.Key, b.Key)) })
	return out
}

// A Filter chooses some of a report's effects: those behind one of its figures.
type Filter struct {
	Kind Kind   // empty: any
	By   By     // empty: no group
	Key  string // of the group
	Word string // part of a person's or machine's name
}

// Select gives the effects behind a figure from the given place on, at most limit, and how many there are. Items that
// the filter does not ask for are left out.
func (p *Plan) Select(all *Part, f Filter, from, limit int) (some []Effect, total int) {
	for i := range all.Effects {
		e := all.Effects[i]
		c := &p.Cases[e.Case]
		if f.By == ByLocation && e.Location != f.Key || f.By == ByGroup && !slices.Contains(p.groupsOf(c), f.Key) ||
			f.Word != "" && !strings.Contains(name.Fold(c.Name), name.Fold(f.Word)) {
			continue
		}
		var items []Item
		for _, item := range e.Items {
			if (f.Kind == "" || item.Kind == f.Kind) && (f.By != ByQueue || item.Queue == f.Key) && (f.By != ByGrant ||
				slices.Contains(item.Grant, f.Key)) {
				items = append(items, item)
			}
		}
		if len(items) == 0 {
			continue
		}
		if total++; total > from && len(some) < limit {
			e.Items = items
			some = append(some, e)
		}
	}
	return some, total
}
