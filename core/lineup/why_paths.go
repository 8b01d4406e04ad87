package lineup

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/live"
	"cirque/core/path"
)

func (x explainer) drivers(q *queue, out *Why) {
	e := x.w.Estate
	system, _, _ := strings.Cut(x.f.Platform, "/")
	if len(q.drivers) == 0 {
		return
	}
	chosen := e.driverFor(q.drivers, x.f.Platform)
	ok := chosen != noDriver
	took := false
	for _, c := range q.drivers {
		d := DriverWhy{Key: c.key, Driver: estate.Driverless, Fits: x.f.Platform == "" || e.driverFits(c.driver,
			x.f.Platform, system)}
		if c.driver != none {
			d.Driver, d.Exact = e.drivers[c.driver].name, &e.drivers[c.driver].exact
		}
		asked := c.key == "*" || c.key == x.f.Platform || c.key == system
		switch {
		case x.f.Platform == "":
			d.Says = "no platform is known, so the entry for * is taken, else the first"
		case !asked:
			d.Says = fmt.Sprintf("for %s, and the platform is %s", c.key, x.f.Platform)
		case !d.Fits:
			d.Says = fmt.Sprintf("the driver is for %s and does not fit %s", e.drivers[c.driver].platform, x.f.Platform)
		default:
			d.Says = "fits"
		}
		if ok && !took && c.driver == chosen && (asked && d.Fits || x.f.Platform == "") && x.isChoice(q, c, chosen) {
			d.Chosen, took = true, true
		}
		out.Drivers = append(out.Drivers, d)
	}
}

// isChoice says whether c is the very entry that driverFor takes, where several name the same driver.
func (x explainer) isChoice(q *queue, c choice, chosen int32) bool {
	if x.f.Platform == "" {
		star := slices.ContainsFunc(q.drivers, func(d choice) bool { return d.key == "*" })
		return c.key == "*" || !star && c.key == q.drivers[0].key
	}
	system, _, _ := strings.Cut(x.f.Platform, "/")
	for _, key := range [3]string{x.f.Platform, system, "*"} {
		for _, d := range q.drivers {
			if d.key == key && d.driver == chosen {
				return d.key == c.key
			}
		}
	}
	return false
}

func (x explainer) paths(q *queue, out *Why, s *Scratch) {
	e := x.w.Estate
	direct := none
	if len(q.drivers) > 0 {
		direct = e.driverFor(q.drivers, x.f.Platform)
	}
	of := e.queueByName[q.Name]
	pick, reason := x.w.pick(of, x.f, s)
	for i := range int(q.paths) {
		p, full := q.path(i), &q.ways[i]
		member, usable := x.w.usable(of, i, x.f, s)
		y := PathWhy{Path: q.entries[p.first+member].path, Conditions: []Condition{}, Open: x.w.pathOpen(p, x.f),
			Usable: usable}
		if p.at != nil {
			y.Conditions = append(y.Conditions, x.condition("at", p.at, x.w.at))
		}
		if p.sessions != 0 {
			y.Conditions = append(y.Conditions, listed("sessions", q.Paths[i].Sessions, x.f.Session,
				p.sessions&x.f.session != 0))
		}
		if p.kind == wayAttached {
			y.Conditions = append(y.Conditions, x.attached(p))
		}
		switch d := estate.Driverless; {
		case p.kind == wayGateway || direct == none:
			y.Driver = &d
		case direct != noDriver:
			y.Driver = &e.drivers[direct].name
		}
		y.Chosen = reason == "" && pick.path == int32(i)
		switch {
		case !y.Open:
			y.Says = "its own conditions do not hold here"
			if p.kind == wayAttached && !x.w.Estate.pluggedIn(p, x.f) {
				d := x.w.Estate.doc.Devices[p.through]
				y.Says = fmt.Sprintf("the device %s is plugged into %s, and serves nobody elsewhere", d.Name, d.Machine)
			}
		case y.Driver == nil:
			y.Says = "none of the queue's drivers fits " + x.f.Platform
		case !y.Usable:
			y.Says = x.notUsable(full)
		case y.Chosen:
			y.Says = "the first that can be used" + x.share(full, y.Path)
		default:
			y.Says = "can be used, but an earlier one is taken"
		}
		if y.Chosen && pick.stranded {
			y.Says += fmt.Sprintf("; kept on %s all the same, because no other can be used", placeOf(y.Path))
		}
		out.Paths = append(out.Paths, y)
	}
}

// attached explains that a device serves the machine alone into which it is plugged.
func (x explainer) attached(p *way) Condition {
	c := Condition{Kind: "on", Wanted: []string{"machine:" + x.w.Estate.doc.Devices[p.through].Machine}, Held: []string{},
		Found: x.found("on"), Holds: x.w.Estate.pluggedIn(p, x.f)}
	if c.Holds {
		c.Held = c.Wanted
	}
	return c
}

// WhyKept says of a stranded entry where its queue is kept and why nothing else serves it, such as "kept on ps-1: ps-1
// is drained, ps-2 lacks the queue hall".
func WhyKept(w *World, en *Entry) string {
	says := "kept on " + placeOf(en.Path)
	of, ok := w.Estate.queueByName[en.Queue]
	if !ok {
		return says
	}
	x := explainer{w: w}
	for i := range w.Estate.queues[of].ways {
		switch p := &w.Estate.queues[of].ways[i]; {
		case p.Through != en.Path.Through:
		case p.Through == path.Set && p.Set == *en.Path.Set:
			return says + ": " + strings.Join(x.members(p), ", ")
		case p.Through == path.Server && p.Server == *en.Path.Server, p.Through == path.Device && p.Device == *en.Path.Device:
			return says + ": " + x.notUsable(p)
		}
	}
	return says
}

// members says of each member of a set why it cannot be used.
func (x explainer) members(p *fullWay) (each []string) {
	for _, m := range p.Members {
		if path.Serving(x.w.Live, m.Server) {
			each = append(each, x.lacks(m.Server, p.Remote))
			continue
		}
		each = append(each, fmt.Sprintf("%s is %s", m.Server, x.w.Live.Server(m.Server)))
	}
	return each
}

// placeOf names where a path leads.
func placeOf(t Taken) string {
	switch t.Through {
	case path.Device:
		return *t.Device
	case path.Server, path.Set:
		return *t.Server
	}
	return "the gateway"
}

// share says why a set sends the context to one of its members.
func (x explainer) share(p *fullWay, taken Taken) string {
	switch {
	case p.Through != path.Set:
		return ""
	case x.returning(p) != "":
		return fmt.Sprintf("; of the set %s this one takes the person, while %s is returning", p.Set, x.returning(p))
	case p.Style == estate.Spread:
		says := fmt.Sprintf("; of the set %s, which spreads people over its members, %s falls to this one", p.Set,
			*taken.Server)
		if lacking := x.lacking(p); lacking != "" {
			says += ", for " + lacking
		}
		return says
	}
	if lacking := x.lacking(p); lacking != "" {
		return fmt.Sprintf("; of the set %s, %s is the first on duty that has it: %s", p.Set, *taken.Server, lacking)
	}
	return fmt.Sprintf("; of the set %s, %s is the first on duty", p.Set, *taken.Server)
}

// returning names the members of a set that take only a part of their people, with that part.
func (x explainer) returning(p *fullWay) string {
	var out []string
	for _, m := range p.Members {
		if share := x.w.Live.Share(m.Server); share < 1 && x.w.Live.Server(m.Server) == live.Serving {
			out = append(out, fmt.Sprintf("%s (%.0f %% of its people so far)", m.Server, share*100))
		}
	}
	return strings.Join(out, " and ")
}

// lacking names the members of a set that are on duty and known to lack the queue.
func (x explainer) lacking(p *fullWay) string {
	var out []string
	for _, m := range p.Members {
		if path.Serving(x.w.Live, m.Server) && x.w.Live.Lacks(m.Server, p.Remote) {
			out = append(out, x.lacks(m.Server, p.Remote))
		}
	}
	return strings.Join(out, ", ")
}

// lacks says that a server has no queue of a name.
func (x explainer) lacks(server, remote string) string {
	return fmt.Sprintf("%s lacks the queue %s", server, remote)
}

func (x explainer) notUsable(p *fullWay) string {
	switch p.Through {
	case path.Server:
		if path.Serving(x.w.Live, p.Server) {
			return "the server " + x.lacks(p.Server, p.Remote)
		}
		return fmt.Sprintf("the server %s is %s", p.Server, x.w.Live.Server(p.Server))
	case path.Set:
		says := "no member of the set %s is on duty: %s"
		if x.lacking(p) != "" {
			says = "no member of the set %s is on duty and has it: %s"
		}
		return fmt.Sprintf(says, p.Set, strings.Join(x.members(p), ", "))
	}
	return fmt.Sprintf("the device %s is %s", p.Device, live.Down)
}
