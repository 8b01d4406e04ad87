package lineup

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/directory"
	"cirque/core/estate"
)

// This file finds the smallest change that gives an absent queue. Each step is tried on a copy of the world before it
// is offered: what is said gives the queue.

// A step is something that may give an absent queue, in words, with what the world and the context are then.
type step struct {
	says    string
	changes []estate.Change
	people  *directory.Records // nil: the directory is as it was
	context *Context           // nil: the context is as it was
}

// How many steps a change may have, and how many ways are tried at first.
const (
	mostSteps = 4
	mostWays  = 6
)

// smallest says the smallest change that gives a queue that a context lacks, as far as a few steps can.
func smallest(w *World, c Context, y *Why, steps []step) string {
	best := shortest(w, c, y, steps, mostSteps)
	if best == nil {
		return "no small change gives it: see above what each grant wants, and what stands against it"
	}
	return strings.Join(best, "; and ")
}

// shortest gives the fewest steps of which the last gives the queue, nil where so few do not.
func shortest(w *World, c Context, y *Why, steps []step, most int) (best []string) {
	if most == 0 {
		return nil
	}
	if most < mostSteps { // after the first step the plainest way is followed
		steps = steps[:min(1, len(steps))]
	}
	for _, st := range steps[:min(mostWays, len(steps))] {
		left := most - 1
		if best != nil {
			left = min(left, len(best)-2) // only what is shorter matters
		}
		if left < 0 {
			break
		}
		next, at := st.taken(w, c)
		z, more, err := explain(next, at, y.Queue)
		if err != nil {
			continue
		}
		if z.Present {
			return []string{st.says}
		}
		if rest := shortest(next, at, z, more, left); rest != nil {
			best = append([]string{st.says}, rest...)
		}
	}
	return best
}

// taken gives the world and the context after a step.
func (st step) taken(w *World, c Context) (*World, Context) {
	e, d := w.Estate, w.Directory
	if len(st.changes) > 0 {
		e = Compile(e.doc.With(st.changes), e.revision, Options{Zone: e.tree.zone, Reuse: e})
	}
	if st.people != nil {
		d = directory.New(*st.people)
	}
	if st.context != nil {
		c = *st.context
	}
	if e == w.Estate && d == w.Directory {
		return w, c
	}
	return Bind(e, d, w.Live), c
}

// steps gives the steps that may give an absent queue, the likeliest to be small first.
func (x explainer) steps(s *Scratch, q int32, out *Why) []step {
	who := x.self()
	switch Reason(out.Reason) {
	case Withheld:
		st := step{says: fmt.Sprintf("add %s to the except of %s", who, names(out.LeftOut[0].Grants))}
		for _, g := range out.LeftOut[0].Grants {
			st.changes = append(st.changes, x.editGrant(g, func(g *estate.Grant) { g.Except = with(g.Except, who) }))
		}
		return []step{st}
	case Retired:
		says := "take retired off the queue"
		if of := &x.w.Estate.queues[q]; x.w.Estate.gone(of, x.f.Time) && !of.retired {
			says = "give the queue a later until"
		} else if of.Until != "" {
			says += ", and give it a later until"
		}
		return []step{{says: says,
			changes: x.editQueue(q, func(q *estate.Queue) { q.Retired, q.Until = false, "" })}}
	case NotPermitted:
		return []step{x.permit(q, out, who)}
	case NoPath:
		return x.openPath(q)
	case NoDriver:
		return []step{{says: fmt.Sprintf("add a driver for %s to the queue, or \"*\": driverless", x.f.Platform),
			changes: x.editQueue(q, func(q *estate.Queue) {
				drivers := map[string]string{x.f.Platform: estate.Driverless}
				for k, v := range q.Drivers {
					if k != x.f.Platform {
						drivers[k] = v
					}
				}
				q.Drivers = drivers
			})}}
	case NotNearest:
		called, nearest := x.widen(s, q)
		return []step{{says: fmt.Sprintf("raise nearest of %s to %d", called, nearest),
			changes: []estate.Change{x.editGrant(called, func(g *estate.Grant) { g.Nearest = nearest })}}}
	case NoDistance:
		return x.nearer(q, out)
	}
	return x.granting(q, out, who)
}

// permit lets the context print to a queue.
func (x explainer) permit(q int32, out *Why, who string) step {
	for _, c := range out.Access.Conditions {
		if c.Kind == "deny" && !c.Holds {
			held := x.written(x.w.Estate.queues[q].Access.Deny, x.w.any)
			return step{says: fmt.Sprintf("take %s out of the queue's access deny", strings.Join(c.Held, " and ")),
				changes: x.editQueue(q, func(q *estate.Queue) {
					a := *q.Access
					a.Deny = without(a.Deny, held)
					q.Access = &a
				})}
		}
	}
	return step{says: fmt.Sprintf("add %s to the queue's access allow", who),
		changes: x.editQueue(q, func(q *estate.Queue) {
			a := *q.Access
			a.Allow = with(a.Allow, who)
			q.Access = &a
		})}
}

// openPath gives a queue a way that is open: where it is not known where the context is, that comes first.
func (x explainer) openPath(of int32) []step {
	q := &x.w.Estate.queues[of]
	gateway := step{says: "give the queue a path that is open here, such as one through the gateway",
		changes: x.editQueue(of, func(q *estate.Queue) {
			q.Paths = append(slices.Clip(q.Paths), estate.Path{Gateway: true})
		})}
	if len(q.Paths) == 0 {
		gateway.says = "give the queue a path through a device, a server, a set or the gateway"
		return []step{gateway}
	}
	if d := x.w.Estate.onlyAttached(q); d != nil {
		c := x.f.Context
		c.Machine, c.Session, c.Host = d.Machine, "desktop", ""
		return []step{{says: fmt.Sprintf("sit at %s: its device %s is plugged in there; for others add a device on the "+
			"network, or a server", d.Machine, d.Name), context: &c}}
	}
	if x.f.at != none || len(x.f.Addresses) > 0 {
		return []step{gateway}
	}
	var out []step
	for i := range int(q.paths) {
		p := q.path(i)
		if p.at == nil {
			continue
		}
		if c, ok := x.there(p.at); ok {
			out = append(out, step{says: fmt.Sprintf("say from which address, or at which location: its path through %s "+
				"is for %s",
				placeOf(q.entries[p.first].path), strings.Join(p.at.written, " or ")), context: &c})
		}
	}
	return append(out, gateway)
}

// there gives the context at a place that a condition names; false where it names none that the estate knows.
func (x explainer) there(at *cond) (Context, bool) {
	c := x.f.Context
	switch {
	case len(at.locs) > 0:
		c.Location = x.w.Estate.tree.locs[at.locs[0]].path
	case len(at.prefixes) > 0:
		c.Addresses = append(slices.Clip(c.Addresses), at.prefixes[0].Addr())
	case len(at.ranges) > 0:
		c.Addresses = append(slices.Clip(c.Addresses), at.ranges[0][0])
	default:
		return c, false
	}
	return c, true
}

// nearer gives a queue a distance from the context, or a grant that asks for none.
func (x explainer) nearer(q int32, out *Why) []step {
	e := x.w.Estate
	free := step{says: "grant the queue without nearest"}
	for _, g := range out.LeftOut[0].Grants {
		free.changes = append(free.changes, x.editGrant(g, func(g *estate.Grant) { g.Nearest = 0 }))
	}
	switch {
	case x.f.at == none && e.queues[q].loc != none:
		c := x.f.Context
		c.Location = e.tree.locs[e.queues[q].loc].path
		return []step{{says: "say where the person is: add a subnet that holds the address, or a location of the machine",
			context: &c}, free}
	case x.f.at == none:
		return []step{free}
	case e.queues[q].loc == none:
		site := e.tree.locs[e.tree.locs[x.f.at].site].path
		return []step{{says: "give the queue a location at the site " + site,
			changes: x.editQueue(q, func(q *estate.Queue) { q.Location = x.w.Estate.tree.locs[x.f.at].path })}, free}
	}
	free.says += fmt.Sprintf(": it is at another site than %s", e.tree.locs[x.f.at].path)
	return []step{free}
}

// granting gives the queue by a grant: one that failed by a condition alone, else a new one.
func (x explainer) granting(q int32, out *Why, who string) []step {
	var steps []step
	for _, m := range out.NearMisses {
		if st, ok := x.matching(m, q); ok {
			st.says = m.Grant + ": " + m.Change
			steps = append(steps, st)
		}
	}
	g := estate.Grant{Name: "the-smallest-change", Effect: estate.Place, Queues: []string{x.w.Estate.queues[q].Name}}
	if x.f.User != "" {
		g.To = []string{who}
	} else if x.f.Machine != "" {
		g.On = []string{who}
	} else {
		g.At = []string{who}
	}
	fresh := step{says: "write a grant that gives the queue to " + who, changes: []estate.Change{{Ref: estate.Ref{
		List: "grants", Name: g.Name}, After: &g}}}
	return append(steps, fresh)
}

// matching lets a grant match that failed by one condition.
func (x explainer) matching(m NearMiss, q int32) (step, bool) {
	e := x.w.Estate
	i, ok := e.grantNumber(m.Grant)
	if !ok {
		return step{}, false
	}
	g := e.grants[i].more
	edit := func(f func(*estate.Grant)) (step, bool) {
		return step{changes: []estate.Change{x.editGrant(m.Grant, f)}}, true
	}
	c := x.f.Context
	switch m.Condition.Kind {
	case "to":
		switch {
		case c.User == "":
			return step{}, false
		case len(g.to.groups) > 0:
			r := x.w.Directory.Records()
			r.Groups = slices.Clone(r.Groups)
			if id, ok := x.w.Directory.GroupID(e.refs.groups[g.to.groups[0]].written); ok && int(id) < len(r.Groups) {
				r.Groups[id].Members = with(r.Groups[id].Members, "user:"+c.User)
				return step{people: &r}, true
			}
			r.Groups = append(r.Groups, directory.Group{Name: e.refs.groups[g.to.groups[0]].written,
				Members: []string{"user:" + c.User}})
			return step{people: &r}, true
		}
		return edit(func(g *estate.Grant) { g.To = with(g.To, "user:"+c.User) })
	case "on":
		if c.Machine == "" {
			return step{}, false
		}
		return edit(func(g *estate.Grant) { g.On = with(g.On, "machine:"+c.Machine) })
	case "at":
		if x.f.at == none {
			c, ok = x.there(g.at)
			return step{context: &c}, ok
		}
		return edit(func(g *estate.Grant) { g.At = with(g.At, "location:"+e.tree.locs[x.f.at].path) })
	case "open":
		if at, ok := g.open.Week.NextEdge(c.Time, e.tree.zones[e.queues[q].zone]); ok {
			c.Time = at
			return step{context: &c}, true
		}
		return edit(func(g *estate.Grant) { g.Open = nil })
	case "until":
		return edit(func(g *estate.Grant) { g.Until = "" })
	case "sessions":
		return edit(func(g *estate.Grant) { g.Sessions = with(g.Sessions, c.Session) })
	case "platforms":
		if c.Platform == "" {
			c.Platform = g.Platforms[0]
			if !estate.ValidPlatform(c.Platform, false) {
				c.Platform += "/x64"
			}
			return step{context: &c}, true
		}
		return edit(func(g *estate.Grant) { g.Platforms = with(g.Platforms, c.Platform) })
	}
	held := x.written(g.Except, x.w.any)
	return edit(func(g *estate.Grant) { g.Except = without(g.Except, held) })
}

// written gives the entries of a list that hold, as they are written.
func (x explainer) written(list []string, holds func(*cond, *facts) bool) (out []string) {
	for _, s := range list {
		if holds(x.comp.cond([]string{s}), x.f) {
			out = append(out, s)
		}
	}
	return out
}

func (x explainer) editGrant(called string, f func(*estate.Grant)) estate.Change {
	i, _ := x.w.Estate.grantNumber(called)
	before := &x.w.Estate.doc.Grants[i]
	after := *before
	f(&after)
	return estate.Change{Ref: estate.Ref{List: "grants", Name: called}, Before: before, After: &after}
}

func (x explainer) editQueue(q int32, f func(*estate.Queue)) []estate.Change {
	before := &x.w.Estate.doc.Queues[q]
	after := *before
	f(&after)
	return []estate.Change{{Ref: estate.Ref{List: "queues", Name: before.Name}, Before: before, After: &after}}
}

// with adds an entry to a list, and without takes some out; the list given is not altered.
func with(list []string, entry string) []string { return append(slices.Clip(list), entry) }

func without(list, out []string) []string {
	left := slices.DeleteFunc(slices.Clone(list), func(s string) bool { return slices.Contains(out, s) })
	if len(left) == 0 {
		return nil
	}
	return left
}
