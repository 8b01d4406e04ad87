package lineup

import (
	"cirque/core/path"
)

// pick is a path with its driver; driver is none for driverless, entry the queue's entry that leads there.
type pick struct {
	path, entry, driver int32
	stranded            bool
}

// pick chooses path and driver together (step 4).
func (w *World) pick(of int32, f *facts, s *Scratch) (pick, Reason) {
	q := &w.Estate.queues[of]
	direct := none
	if q.fits != nil {
		direct = int32(q.fits[f.platformAt])
	}
	first, open := pick{path: none}, false
	for i := range int(q.paths) {
		p := q.path(i)
		if !w.pathOpen(p, f) {
			continue
		}
		open = true
		driver := direct
		if p.kind == wayGateway {
			driver = none
		} else if direct == noDriver {
			continue
		}
		member, ok := w.usable(of, i, f, s)
		if ok {
			return pick{int32(i), p.first + member, driver, false}, ""
		}
		if first.path == none {
			first = pick{int32(i), p.first + member, driver, true}
		}
	}
	switch {
	case first.path != none:
		return first, ""
	case open:
		return pick{}, NoDriver
	}
	return pick{}, NoPath
}

// pathOpen says whether a path's own conditions hold.
func (w *World) pathOpen(p *way, f *facts) bool {
	return (p.sessions == 0 || p.sessions&f.session != 0) && (p.at == nil || w.at(p.at, f)) &&
		(p.kind != wayAttached || w.Estate.pluggedIn(p, f))
}

// desk is the kind of session of whoever sits at their machine, and works on it.
var desk = sessionBit("desktop")

// pluggedIn says whether the device of a path is plugged into the machine on which the queue is wanted.
func (e *Estate) pluggedIn(p *way, f *facts) bool {
	return f.session == desk && f.machine != "" && e.plugged[p.through] == f.machine
}

// usable says whether a queue's path can be used just now, and through which member of a set.
func (w *World) usable(of int32, i int, f *facts, s *Scratch) (member int32, ok bool) {
	q := &w.Estate.queues[of]
	lacks := w.lacks.of(of)
	switch p := q.path(i); p.kind {
	case wayDevice, wayAttached:
		return 0, w.answering[p.through]
	case wayServer:
		return 0, w.serving[p.through] && (lacks == nil || !lacks[p.first])
	case waySet:
		if lacks != nil { // its members are not the same for this queue as for others
			m, ok := w.choose(&q.ways[i], lacks[p.first:], s.spread(f))
			return int32(m), ok
		}
		c := &s.sets[p.through]
		if c.stamp != s.stamp {
			full := &q.ways[i]
			m, ok := w.choose(full, nil, s.spread(f))
			*c = setChoice{s.stamp, int32(m), ok}
		}
		return c.member, c.ok
	}
	return 0, true
}

// choose gives the member of a set that serves somebody. A returning member takes only its share of them, unless no
// other serves. lacks says of members whether they lack the queue; nil where none does.
func (w *World) choose(p *fullWay, lacks []bool, who path.Spreader) (member int, ok bool) {
	serving := func(i int) bool { return w.serving[p.members[i]] && (lacks == nil || !lacks[i]) }
	if w.share != nil {
		admitted := func(i int) bool { return serving(i) && who.Admits(p.Members[i].Server, w.share[p.members[i]]) }
		if member, ok := path.Choose(p.Style, p.Members, who, admitted); ok {
			return member, true
		}
	}
	return path.Choose(p.Style, p.Members, who, serving)
}

// spread gives the key by which the context's share of spread sets is found.
func (s *Scratch) spread(f *facts) path.Spreader {
	if s.members == (path.Spreader{}) {
		first := ""
		if len(f.Addresses) > 0 && f.user == "" && f.machine == "" {
			first = f.Addresses[0].String()
		}
		s.members = path.SpreadBy(f.user, f.machine, first)
	}
	return s.members
}
