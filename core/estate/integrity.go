package estate

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/fault"
)

// References gives every mention of one object by another, as the document writes it.
func (d *Document) References(f func(from, to Ref)) {
	at := func(from Ref, location string) {
		if location != "" {
			f(from, Ref{"locations", location})
		}
	}
	entries := func(from Ref, lists ...[]string) {
		for _, list := range lists {
			for _, s := range list {
				if path, ok := strings.CutPrefix(s, string(At)+":"); ok {
					at(from, path)
				}
			}
		}
	}
	for _, s := range d.Subnets {
		at(Ref{"subnets", s.CIDR.String()}, s.Location)
	}
	for _, s := range d.Stations {
		at(Ref{"stations", s.Name}, s.Location)
	}
	for _, s := range d.Servers {
		at(Ref{"servers", s.Name}, s.Location)
	}
	for _, s := range d.ServerSets {
		for _, m := range s.Members {
			f(Ref{"server_sets", s.Name}, Ref{"servers", m})
		}
	}
	for _, v := range d.Devices {
		at(Ref{"devices", v.Name}, v.Location)
	}
	for i := range d.Queues {
		d.Queues[i].references(f, at, entries)
	}
	selected := func(from Ref, list []string) {
		for _, s := range list {
			kind, value, written := strings.Cut(s, ":")
			switch {
			case !written:
				f(from, Ref{"queues", s})
			case kind == "within":
				at(from, value)
			}
		}
	}
	for i := range d.Grants {
		g := &d.Grants[i]
		from := Ref{"grants", g.Name}
		selected(from, g.Queues)
		entries(from, g.At, g.Except)
	}
	for i := range d.Allowances {
		selected(Ref{"allowances", d.Allowances[i].Name}, d.Allowances[i].Queues)
	}
	for _, n := range d.Notices {
		entries(Ref{"notices", n.Name}, n.At)
	}
	for _, p := range d.Promises {
		from := Ref{"promises", p.Name}
		at(from, p.place())
		for _, q := range p.Queues() {
			f(from, Ref{"queues", q})
		}
	}
}

// references gives every mention that a queue makes.
func (q *Queue) references(f func(from, to Ref), at func(Ref, string), entries func(Ref, ...[]string)) {
	from := Ref{"queues", q.Name}
	at(from, q.Location)
	for _, v := range q.Devices {
		f(from, Ref{"devices", v})
	}
	for _, p := range q.Paths {
		switch { // a path's device is one of the queue's own
		case p.Server != "":
			f(from, Ref{"servers", p.Server})
		case p.Set != "":
			f(from, Ref{"server_sets", p.Set})
		}
		entries(from, p.At)
	}
	for _, v := range q.Drivers {
		if v != Driverless {
			f(from, Ref{"drivers", v})
		}
	}
	if q.Access != nil {
		entries(from, q.Access.Allow, q.Access.Deny)
	}
	if q.Jobs != nil {
		for _, s := range q.Jobs.ReleaseAt {
			if place, within := strings.CutPrefix(s, "within:"); within {
				at(from, place)
			} else {
				f(from, Ref{"devices", s})
			}
		}
	}
}

// A Problem is one way in which a document does not hold together.
type Problem struct {
	At   Ref
	What string
	Fix  string
}

// Integrity checks what no object can know by itself: that every object named by another is there, and that no old name
// of a queue is another's. Objects are taken to be valid each by itself.
func Integrity(d *Document) []Problem {
	known := map[Ref]bool{}
	for _, r := range d.Refs() {
		known[r] = true
		for path := r.Name; r.List == "locations"; {
			i := strings.LastIndexByte(path, '/')
			if i < 0 {
				break
			}
			path = path[:i]
			known[Ref{"locations", path}] = true
		}
	}
	var out []Problem
	old := map[string]string{}
	for _, q := range d.Queues {
		for _, f := range q.Formerly {
			if known[Ref{"queues", f}] {
				out = append(out, Problem{Ref{"queues", q.Name}, fmt.Sprintf("its old name %s is the name of another queue", f),
					"leave it out of formerly, or rename that queue"})
			} else if other, taken := old[f]; taken {
				out = append(out, Problem{Ref{"queues", q.Name}, fmt.Sprintf("its old name %s is also one of the queue %s", f,
					other), "leave it out of one of the two"})
			}
			old[f] = q.Name
		}
	}
	former := map[string]string{}
	for _, a := range d.Allowances {
		for _, f := range a.Formerly {
			if known[Ref{"allowances", f}] || former[f] != "" {
				out = append(out, Problem{Ref{"allowances", a.Name}, fmt.Sprintf("its old name %s is one of another allowance",
					f), "leave it out of one of the two"})
			}
			former[f] = a.Name
		}
	}
	seen := map[[2]Ref]bool{}
	d.References(func(from, to Ref) {
		if known[to] || to.List == "queues" && old[to.Name] != "" || seen[[2]Ref{from, to}] {
			return
		}
		seen[[2]Ref{from, to}] = true
		fix := fmt.Sprintf("add the %s, or take it out of the %s", Word(to.List), Word(from.List))
		var names []string
		for r := range known {
			if r.List == to.List {
				names = append(names, r.Name)
			}
		}
		slices.Sort(names)
		if k := document.Nearest(to.Name, names); k != "" {
			fix = fmt.Sprintf("did you mean %q? Or take it out of the %s", k, Word(from.List))
		}
		out = append(out, Problem{from, fmt.Sprintf("%s names the %s, which is not there", from, to), fix})
	})
	return out
}

// Dependents lists the objects that name an object, of a location also those that name a place in it, each once.
func Dependents(d *Document, r Ref) []Ref {
	out := []Ref{}
	old := []string{}
	if q, ok := d.Find(r).(*Queue); ok {
		old = q.Formerly
	}
	d.References(func(from, to Ref) {
		is := to == r || r.List == "locations" && to.List == r.List && strings.HasPrefix(to.Name, r.Name+"/") ||
			r.List == "queues" && to.List == r.List && slices.Contains(old, to.Name)
		if is && !slices.Contains(out, from) {
			out = append(out, from)
		}
	})
	return out
}

// Incoherent is the fault of an estate that would not hold together; there is at least one problem.
func Incoherent(problems []Problem) error {
	var details []fault.Detail
	for _, x := range problems {
		details = append(details, fault.Detail{Place: x.At.String(), What: x.What, Fix: x.Fix})
	}
	return fault.New(fault.Invalid, "estate-incoherent", problems[0].Fix, "the estate would not hold together: %s",
		problems[0].What).With(details)
}
