package estate

import (
	"slices"
	"strings"

	"cirque/core/name"
)

// entries calls f with every list of entries of an object; f may replace it.
func (g *Grant) entries(f func(list *[]string)) {
	for _, l := range []*[]string{&g.To, &g.Except, &g.On} {
		f(l)
	}
}

func (q *Queue) entries(f func(list *[]string)) {
	if q.Access != nil {
		f(&q.Access.Allow)
		f(&q.Access.Deny)
	}
}

// Names gives the users, groups and machines that a document names, as KIND:NAME with the name folded.
func (d *Document) Names() map[string]bool {
	out := map[string]bool{}
	take := func(list *[]string) {
		for _, s := range *list {
			kind, called, _ := strings.Cut(s, ":")
			if Kind(kind) == Host {
				kind = string(Machine)
			}
			switch Kind(kind) {
			case User, Group, Machine:
				out[kind+":"+name.Fold(called)] = true
			}
		}
	}
	for i := range d.Grants {
		d.Grants[i].entries(take)
	}
	for i := range d.Queues {
		d.Queues[i].entries(take)
	}
	for i := range d.Charges {
		d.Charges[i].entries(take)
	}
	for i := range d.Allowances {
		d.Allowances[i].entries(take)
	}
	return out
}

// Renamed gives the document with another name for a user, group or machine, wherever it names it, and how many objects
// that changes. Where the new name stands beside the old, one of them stays.
func (d *Document) Renamed(kind, from, to string) (*Document, int) {
	var changes []Change
	replace := func(list *[]string) bool {
		did := false
		var out []string
		for _, s := range *list {
			k, called, _ := strings.Cut(s, ":")
			if (k == kind || k == string(Host) && kind == string(Machine)) && name.Fold(called) == name.Fold(from) {
				s, did = k+":"+to, true
			}
			if !slices.Contains(out, s) {
				out = append(out, s)
			}
		}
		if did {
			*list = out
		}
		return did
	}
	for i := range d.Grants {
		g, did := d.Grants[i], false
		g.entries(func(l *[]string) { did = replace(l) || did })
		if did {
			changes = append(changes, Change{Ref: Ref{List: "grants", Name: g.Name}, Before: &d.Grants[i], After: &g})
		}
	}
	for i := range d.Queues {
		q, did := d.Queues[i], false
		if q.Access != nil {
			a := *q.Access
			q.Access = &a
		}
		q.entries(func(l *[]string) { did = replace(l) || did })
		if did {
			changes = append(changes, Change{Ref: Ref{List: "queues", Name: q.Name}, Before: &d.Queues[i], After: &q})
		}
	}
	for i := range d.Charges {
		c, did := d.Charges[i], false
		if c.entries(func(l *[]string) { did = replace(l) || did }); did {
			changes = append(changes, Change{Ref: Ref{List: "charges", Name: c.Name}, Before: &d.Charges[i], After: &c})
		}
	}
	for i := range d.Allowances {
		a, did := d.Allowances[i], false
		if a.entries(func(l *[]string) { did = replace(l) || did }); did {
			changes = append(changes, Change{Ref: Ref{List: "allowances", Name: a.Name}, Before: &d.Allowances[i],
				After: &a})
		}
	}
	return d.With(changes), len(changes)
}
