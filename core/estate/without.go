package estate

import (
	"maps"
	"slices"

	"cirque/core/fault"
)

// Without gives the document without some objects and without all mentions of them: grants, promises, sets, paths and
// drivers of queues. A grant or promise that says nothing more then, and a set that is left without members, goes with
// them. Locations name what lies there, which is to be moved first: an Invalid fault.
func (d *Document) Without(refs []Ref) (*Document, error) {
	gone := map[Ref]bool{}
	for _, r := range refs {
		if r.List == "locations" && len(Dependents(d, r)) > 0 {
			return nil, fault.New(fault.Invalid, "remove-along", "move what lies there first, or give the location another "+
				"path: cirque location rename", "what lies at %s cannot be taken out along with it", r.Name)
		}
		if d.Find(r) == nil {
			return nil, fault.New(fault.Unknown, "object-unknown", d.nearest(r), "there is no %s", r)
		}
		gone[r] = true
	}
	out := *d
	for before := -1; before != len(gone); {
		before = len(gone)
		out.unmention(gone)
	}
	var changes []Change
	for r := range gone {
		changes = append(changes, Change{Ref: r})
	}
	return out.With(changes), nil
}

// unmention takes what is gone out of what names it, and notes what goes with it.
func (d *Document) unmention(gone map[Ref]bool) {
	old := map[string]string{} // old names of queues that are gone
	for i := range d.Queues {
		for _, f := range d.Queues[i].Formerly {
			old[f] = d.Queues[i].Name
		}
	}
	lost := func(list string) func(string) bool {
		return func(n string) bool {
			return gone[Ref{list, n}] || list == "queues" && old[n] != "" && gone[Ref{list, old[n]}]
		}
	}
	less := func(list string, names []string) []string {
		if !slices.ContainsFunc(names, lost(list)) {
			return names
		}
		return slices.DeleteFunc(slices.Clone(names), lost(list))
	}
	d.ServerSets = each(d.ServerSets, func(o *ServerSet) {
		if o.Members = less("servers", o.Members); len(o.Members) == 0 {
			gone[Ref{"server_sets", o.Name}] = true
		}
	})
	d.Queues = each(d.Queues, func(o *Queue) {
		o.Devices = less("devices", o.Devices)
		o.Paths = slices.DeleteFunc(slices.Clone(o.Paths), func(p Path) bool {
			return gone[Ref{"devices", p.Device}] || gone[Ref{"servers", p.Server}] || gone[Ref{"server_sets", p.Set}]
		})
		if o.Jobs != nil {
			j := *o.Jobs
			j.ReleaseAt = less("devices", j.ReleaseAt)
			o.Jobs = &j
		}
		if len(o.Drivers) > 0 {
			o.Drivers = maps.Clone(o.Drivers)
			maps.DeleteFunc(o.Drivers, func(_, v string) bool { return gone[Ref{"drivers", v}] })
		}
	})
	d.Grants = each(d.Grants, func(o *Grant) {
		if o.Queues = less("queues", o.Queues); len(o.Queues) == 0 {
			gone[Ref{"grants", o.Name}] = true
		}
	})
	d.Allowances = each(d.Allowances, func(o *Allowance) {
		if o.Queues = less("queues", o.Queues); len(o.Queues) == 0 {
			gone[Ref{"allowances", o.Name}] = true
		}
	})
	d.Promises = each(d.Promises, func(o *Promise) {
		o.Receives, o.Never = less("queues", o.Receives), less("queues", o.Never)
		if lost("queues")(o.Default) {
			o.Default = ""
		}
		if len(o.Queues()) == 0 {
			gone[Ref{"promises", o.Name}] = true
		}
	})
}
