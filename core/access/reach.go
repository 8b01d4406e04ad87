package access

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/fault"
)

// Elsewhere says of a machine what is known beside the estate: whether a directory has it or an agent has reported from
// it, and at which site it is, "" where that is not known.
type Elsewhere func(machine string) (site string, known bool)

// Confine gives changes as whoever has a scope may make them: a grant of theirs that names no place holds at the sites
// of its queues alone. The others are as they were.
func Confine(p *Principal, a Action, after *estate.Document, changes []estate.Change) []estate.Change {
	if p.MayAt(a, "") {
		return changes
	}
	out := slices.Clone(changes)
	for i, c := range out {
		g, ok := c.After.(*estate.Grant)
		if !ok || len(g.At) > 0 {
			continue
		}
		sites, _ := lies(after, g)
		if len(sites) == 0 {
			continue // CheckChanges refuses it
		}
		confined := *g
		for _, s := range sites {
			confined.At = append(confined.At, string(estate.At)+":"+s)
		}
		out[i].After = &confined
	}
	return out
}

// reach looks at what the changes of somebody with a scope would reach.
type reach struct {
	p             *Principal
	a             Action
	before, after *estate.Document
	elsewhere     Elsewhere
	bad           []fault.Detail
}

// CheckReach gives a Denied fault with the code "reaches-elsewhere" unless what changes reaches only whoever is at a
// site where the principal may act; its details name what does not. It is asked after CheckChanges, of changes that
// Confine has given.
//
// A grant reaches whoever its at lets it: with locations alone, those at them; with nearest, those at the sites of its
// queues, since others have no distance to them; else everybody. A queue reaches whoever a grant that places or offers
// it reaches, and so do the servers, sets and devices that its paths lead through. A subnet or station takes what it
// names from whatever else would have it.
func CheckReach(p *Principal, a Action, before, after *estate.Document, changes []estate.Change,
	elsewhere Elsewhere) error {
	if p.MayAt(a, "") {
		return nil
	}
	r := &reach{p: p, a: a, before: before, after: after, elsewhere: elsewhere}
	for _, c := range changes {
		r.change(c)
	}
	if len(r.bad) == 0 {
		return nil
	}
	return fault.New(fault.Denied, "reaches-elsewhere", "propose it to an administrator of all sites: cirque draft "+
		"propose, or leave it as it is", "%s may not change %s: %s", p.title(), r.bad[0].Place, r.bad[0].What).With(r.bad)
}

func (r *reach) complain(ref estate.Ref, format string, args ...any) {
	if !slices.ContainsFunc(r.bad, func(d fault.Detail) bool { return d.Place == ref.String() }) {
		r.bad = append(r.bad, fault.Detail{Place: ref.String(), What: fmt.Sprintf(format, args...), Fix: "propose it to an " +
			"administrator of all sites"})
	}
}

// mine says whether a location is at a site where the principal may act.
func (r *reach) mine(location string) bool {
	return location != "" && r.p.MayAt(r.a, estate.Site(location))
}

func (r *reach) change(c estate.Change) {
	for _, side := range []struct {
		doc    *estate.Document
		object any
	}{{r.before, c.Before}, {r.after, c.After}} {
		switch o := side.object.(type) {
		case *estate.Grant:
			if !r.confined(o) {
				r.complain(c.Ref, "it holds at other sites too; write at with locations of your sites alone")
			}
		case *estate.Queue:
			if g := r.received(side.doc, o); g != "" {
				r.complain(c.Ref, "it is received at other sites too, by the grant %s", g)
			}
		case *estate.Server, *estate.ServerSet, *estate.Device:
			r.through(side.doc, c.Ref)
		}
	}
	switch o := c.After.(type) {
	case *estate.Subnet:
		r.subnet(c.Ref, o)
	case *estate.Station:
		was, _ := c.Before.(*estate.Station)
		r.station(c.Ref, o, was)
	case *estate.Queue:
		r.former(c.Ref, o)
	}
	if was, ok := c.Before.(*estate.Station); ok {
		r.released(c.Ref, was, c.After)
	}
	r.clock(c)
}

// confined says whether a grant holds at nothing but sites where the principal may act.
func (r *reach) confined(g *estate.Grant) bool {
	if len(g.At) == 0 {
		return false
	}
	return !slices.ContainsFunc(g.At, func(text string) bool {
		e, err := estate.ParseEntry(text)
		return err != nil || e.Kind != estate.At || !r.mine(e.Name)
	})
}

// received gives a grant by which a queue may reach other sites; "" for none.
func (r *reach) received(doc *estate.Document, q *estate.Queue) string {
	for i := range doc.Grants {
		g := &doc.Grants[i]
		if g.Effect != estate.Withhold && g.Nearest == 0 && selects(g, q) && !r.confined(g) {
			return g.Name
		}
	}
	return ""
}

// selects says whether a grant names a queue, by whatever means.
func selects(g *estate.Grant, q *estate.Queue) bool {
	return slices.ContainsFunc(g.Queues, func(text string) bool {
		sel, err := estate.ParseSelector(text)
		switch {
		case err != nil:
			return false
		case sel.Queue != "":
			return sel.Queue == q.Name || slices.Contains(q.Formerly, sel.Queue)
		case sel.Within != "":
			return q.Location == sel.Within || strings.HasPrefix(q.Location, sel.Within+"/")
		}
		return len(sel.Labels) > 0 && !slices.ContainsFunc(sel.Labels, func(l string) bool {
			return !slices.Contains(q.Labels, l)
		})
	})
}

// through complains where a queue that leads through an object is received at other sites.
func (r *reach) through(doc *estate.Document, ref estate.Ref) {
	sets := map[string]bool{}
	if ref.List == "servers" {
		for _, s := range doc.ServerSets {
			sets[s.Name] = slices.Contains(s.Members, ref.Name)
		}
	}
	for i := range doc.Queues {
		q := &doc.Queues[i]
		leads := ref.List == "devices" && slices.Contains(q.Devices, ref.Name) || slices.ContainsFunc(q.Paths,
			func(p estate.Path) bool {
				switch ref.List {
				case "servers":
					return p.Server == ref.Name || sets[p.Set]
				case "server_sets":
					return p.Set == ref.Name
				}
				return p.Device == ref.Name
			})
		if !leads {
			continue
		}
		if g := r.received(doc, q); g != "" {
			r.complain(ref, "the queue %s leads through it, and is received at other sites too, by the grant %s", q.Name, g)
			return
		}
	}
}

// subnet complains where a subnet would take addresses from another site, or lie around one.
func (r *reach) subnet(ref estate.Ref, s *estate.Subnet) {
	for _, o := range r.after.Subnets {
		if o.CIDR.Overlaps(s.CIDR) && !r.mine(o.Location) {
			r.complain(ref, "it overlaps %s, which lies at %s", o.CIDR, where(o.Location))
			return
		}
	}
	for _, o := range r.after.Stations {
		for _, a := range o.Addresses {
			if s.CIDR.Contains(a) && !r.mine(o.Location) {
				r.complain(ref, "it holds the address of the station %s, which lies at %s", o.Name, where(o.Location))
				return
			}
		}
	}
}

func where(location string) string {
	if location == "" {
		return "no site"
	}
	return estate.Site(location)
}

// station complains where a station would take a machine or an address from somewhere else.
func (r *reach) station(ref estate.Ref, s, was *estate.Station) {
	if r.elsewhere != nil && was == nil {
		site, known := r.elsewhere(s.Name)
		if known && (site == "" || !r.p.MayAt(r.a, site)) {
			r.complain(ref, "there is a machine of that name, and it is at %s", where(site))
		}
	}
	for _, a := range s.Addresses {
		if was != nil && slices.Contains(was.Addresses, a) {
			continue
		}
		best := netip.Prefix{}
		at := ""
		for _, o := range r.after.Subnets {
			if o.CIDR.Contains(a) && (!best.IsValid() || o.CIDR.Bits() > best.Bits()) {
				best, at = o.CIDR, o.Location
			}
		}
		if !r.mine(at) {
			r.complain(ref, "its address %s lies at %s", a, where(at))
		}
	}
}

// released complains where a station of a machine that is at another site would let go of its addresses.
func (r *reach) released(ref estate.Ref, was *estate.Station, after any) {
	is, _ := after.(*estate.Station)
	if r.elsewhere == nil || is != nil && slices.Equal(is.Addresses, was.Addresses) {
		return
	}
	if site, known := r.elsewhere(was.Name); known && site != "" && !r.p.MayAt(r.a, site) {
		r.complain(ref, "its machine is at %s", site)
	}
}

// former complains where a queue would take a name by which something else was known.
func (r *reach) former(ref estate.Ref, q *estate.Queue) {
	mine := map[string]bool{}
	for _, o := range r.before.Queues {
		if r.mine(o.Location) {
			mine[o.Name] = true
			for _, f := range o.Formerly {
				mine[f] = true
			}
		}
	}
	for _, f := range q.Formerly {
		if !mine[f] {
			r.complain(ref, "%s was no queue of your sites", f)
			return
		}
	}
	was, _ := r.before.Find(ref).(*estate.Queue)
	for _, o := range r.before.Queues {
		if was == nil && !r.mine(o.Location) && slices.Contains(o.Formerly, q.Name) {
			r.complain(ref, "its name leads to %s", o.Name)
			return
		}
	}
}

// clock complains where the hours of queues that are received at other sites would move.
func (r *reach) clock(c estate.Change) {
	zone := func(object any) string {
		if l, ok := object.(*estate.Location); ok && l != nil {
			return l.Timezone
		}
		return ""
	}
	if zone(c.Before) == zone(c.After) {
		return
	}
	for i := range r.after.Queues {
		q := &r.after.Queues[i]
		if q.Location == "" || estate.Site(q.Location) != estate.Site(c.Name) {
			continue
		}
		if g := r.received(r.after, q); g != "" {
			r.complain(c.Ref, "the hours of the queue %s go by its timezone, and it is received at other sites too, by the "+
				"grant %s", q.Name, g)
			return
		}
	}
}
