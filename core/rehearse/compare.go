package rehearse

import (
	"cmp"
	"slices"
	"time"

	"cirque/core/lineup"
)

// A Kind is one way in which a lineup changes.
type Kind string

// The kinds, in the order in which reports have them.
const (
	Gains    Kind = "gains"     // a queue
	Loses    Kind = "loses"     // a queue
	Empty    Kind = "empty"     // had queues, ends with none
	Stranded Kind = "stranded"  // a queue is left without a usable path
	NoDriver Kind = "no-driver" // a queue is granted, and no driver fits
	NoPath   Kind = "no-path"   // a queue is granted, and no path leads there
	Effects  Kind = "effect"    // placed, picked or offered
	Defaults Kind = "default"
	Paths    Kind = "path"
	Drivers  Kind = "driver"
	Renames  Kind = "name"     // the queue has another name; old names lead there
	Settings Kind = "settings" // title, options, scope, insist, if_removed
)

// Kinds lists them.
func Kinds() []Kind {
	return []Kind{Gains, Loses, Empty, Stranded, NoDriver, NoPath, Effects, Defaults, Paths, Drivers, Renames,
		Settings}
}

// An Item is one change of one lineup.
type Item struct {
	Kind  Kind     `json:"kind"`
	Queue string   `json:"queue,omitempty"`
	From  string   `json:"from,omitempty"`
	To    string   `json:"to,omitempty"`
	Grant []string `json:"grants,omitempty" doc:"The grants behind it: of what is gained after, of what is lost before."`
	// Times is nil for an item that holds at all times looked at.
	Times []time.Time `json:"times,omitempty" doc:"When it holds, of the times that were looked at; absent for all of them."`
}

// An Effect is all that changes in one case.
type Effect struct {
	Case     int32
	Location string
	Items    []Item
}

// compare adds the differences between two lineups at some times; kept says why an entry of the second is stranded. It
// keeps nothing that lies in a scratch.
func compare(a, b *lineup.Lineup, names renames, kept func(*lineup.Entry) string, times []time.Time, e *Effect) {
	add := func(i Item) {
		at := slices.IndexFunc(e.Items, func(o Item) bool {
			return o.Kind == i.Kind && o.Queue == i.Queue && o.From == i.From && o.To == i.To
		})
		if at < 0 {
			i.Grant = slices.Clone(i.Grant)
			e.Items = append(e.Items, i)
			at = len(e.Items) - 1
		}
		e.Items[at].Times = append(e.Items[at].Times, times...)
	}
	if len(a.Entries) > 0 && len(b.Entries) == 0 {
		add(Item{Kind: Empty})
	}
	for i := range a.Entries {
		x := &a.Entries[i]
		if y := find(b, names.to(x.Queue), i); y == nil {
			add(Item{Kind: Loses, Queue: x.Queue, From: x.Effect, To: reason(b, names.to(x.Queue)), Grant: x.Grants})
		} else {
			entries(x, y, kept, add)
		}
	}
	for i := range b.Entries {
		y := &b.Entries[i]
		if find(a, names.from(y.Queue), i) == nil {
			add(Item{Kind: Gains, Queue: y.Queue, To: y.Effect, Grant: y.Grants})
			if y.Stranded {
				add(Item{Kind: Stranded, Queue: y.Queue, To: kept(y), Grant: y.Grants})
			}
		}
	}
	for i := range b.LeftOut {
		if o := &b.LeftOut[i]; (o.Reason == lineup.NoDriver || o.Reason == lineup.NoPath) &&
			reason(a, names.from(o.Queue)) != string(o.Reason) {
			add(Item{Kind: Kind(o.Reason), Queue: o.Queue, Grant: o.Grants})
		}
	}
	if from, to := defaultOf(a), defaultOf(b); names.to(from) != to {
		add(Item{Kind: Defaults, From: from, To: to})
	}
}

func entries(x, y *lineup.Entry, kept func(*lineup.Entry) string, add func(Item)) {
	made := x.SameMade(y)
	if x.Queue != y.Queue {
		add(Item{Kind: Renames, Queue: y.Queue, From: x.Queue, To: y.Queue, Grant: y.Grants})
	}
	if x.Effect != y.Effect {
		add(Item{Kind: Effects, Queue: x.Queue, From: x.Effect, To: y.Effect, Grant: y.Grants})
	}
	if !x.Stranded && y.Stranded {
		add(Item{Kind: Stranded, Queue: x.Queue, From: Through(x.Path), To: kept(y), Grant: y.Grants})
	} else if !made && (x.Path.URI != y.Path.URI && !sameGateway(x, y) || Through(x.Path) != Through(y.Path)) {
		add(Item{Kind: Paths, Queue: x.Queue, From: Through(x.Path), To: Through(y.Path), Grant: y.Grants})
	}
	if x.Driver != y.Driver || !same(x.Exact, y.Exact) {
		add(Item{Kind: Drivers, Queue: x.Queue, From: driver(x), To: driver(y), Grant: y.Grants})
	}
	if x.Scope != y.Scope || x.Insist != y.Insist || x.IfRemoved != y.IfRemoved ||
		!made && (!same(x.Title, y.Title) || !x.SameOptions(y)) {
		add(Item{Kind: Settings, Queue: x.Queue, Grant: y.Grants})
	}
}

// sameGateway says that two entries lead through the gateway, where only the queue's name makes a difference.
func sameGateway(x, y *lineup.Entry) bool {
	return x.Queue != y.Queue && Through(x.Path) == "gateway" && Through(y.Path) == "gateway"
}

func same(a, b *string) bool { return a == b || a != nil && b != nil && *a == *b }

func driver(e *lineup.Entry) string {
	if e.Exact != nil {
		return *e.Exact
	}
	return e.Driver
}

// Through writes a path in short.
func Through(t lineup.Taken) string {
	switch {
	case t.Set != nil:
		return "set " + *t.Set + ", server " + *t.Server
	case t.Server != nil:
		return "server " + *t.Server
	case t.Device != nil:
		return "device " + *t.Device
	}
	return "gateway"
}

// find finds a queue's entry, which is most often where the other lineup has it.
func find(l *lineup.Lineup, queue string, near int) *lineup.Entry {
	if near < len(l.Entries) && l.Entries[near].Queue == queue {
		return &l.Entries[near]
	}
	for i := range l.Entries {
		if l.Entries[i].Queue == queue {
			return &l.Entries[i]
		}
	}
	return nil
}

func reason(l *lineup.Lineup, queue string) string {
	for i := range l.LeftOut {
		if l.LeftOut[i].Queue == queue {
			return string(l.LeftOut[i].Reason)
		}
	}
	return ""
}

func defaultOf(l *lineup.Lineup) string {
	if len(l.Entries) > 0 && l.Entries[0].Default {
		return l.Entries[0].Queue
	}
	return ""
}

// A Part is what came of a range of cases.
type Part struct {
	Looked  int
	Effects []Effect
	Times   []time.Time
}

// note remembers a time that was looked at.
func (p *Part) note(t time.Time) {
	if i, known := slices.BinarySearchFunc(p.Times, t, time.Time.Compare); !known {
		p.Times = slices.Insert(p.Times, i, t)
	}
}

// Merge puts parts together; effects come out in the order of cases whatever the order of parts.
func Merge(parts []*Part) *Part {
	out := &Part{}
	for _, p := range parts {
		out.Looked += p.Looked
		out.Effects = append(out.Effects, p.Effects...)
		out.Times = append(out.Times, p.Times...)
		slices.SortFunc(out.Times, time.Time.Compare)
		out.Times = slices.CompactFunc(out.Times, time.Time.Equal)
	}
	slices.SortFunc(out.Effects, func(a, b Effect) int { return cmp.Compare(a.Case, b.Case) })
	return out
}
