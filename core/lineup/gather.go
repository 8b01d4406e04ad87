package lineup

import (
	"math/bits"
	"slices"
	"time"

	"cirque/core/hours"
)

// gather finds the matching grants and the queues that they select.
func (w *World) gather(f *facts, s *Scratch) {
	e := w.Estate
	s.begin(e)
	from, to := e.index.mark(f, e.tree.locs, s.bits)
	for i := from; i < to; i++ {
		word := s.bits[i]
		s.bits[i] = 0
		for ; word != 0; word &= word - 1 {
			g := i<<6 + int32(bits.TrailingZeros64(word))
			if w.matches(&e.grants[g], f) {
				w.take(f, s, g)
			}
		}
	}
}

// take notes the queues that a matching grant selects.
func (w *World) take(f *facts, s *Scratch, g int32) {
	e := w.Estate
	gr := &e.grants[g]
	from := int32(len(s.pairs))
	if gr.only != none && gr.does&timed == 0 {
		s.add(gr, g, gr.only)
	} else {
		if s.noteHours && gr.does&timed != 0 {
			s.noteHoursOf(e, gr.more)
		}
		for _, q := range gr.more.queues {
			if gr.does&timed == 0 || gr.more.open.Open(s.clock(f.Time, e, e.queues[q].zone)) {
				s.add(gr, g, q)
			}
		}
	}
	if to := int32(len(s.pairs)); gr.nearest > 0 && to > from {
		s.near = append(s.near, near{g, from, to})
	}
}

// add notes that a matching grant selects a queue.
func (s *Scratch) add(gr *grant, g, q int32) {
	sl := &s.slots[q]
	if sl.stamp != s.stamp {
		*sl = slot{s.stamp, int32(len(s.seen))}
		s.seen = append(s.seen, considered{queue: q, first: none, last: none})
	}
	c := &s.seen[sl.at]
	if gr.does&withholds != 0 {
		c.withheld = true
	} else {
		c.gives = true
	}
	i := int32(len(s.pairs))
	s.pairs = append(s.pairs, pair{grant: g, of: sl.at, next: none, does: gr.does, weight: gr.weight})
	if c.last == none {
		c.first = i
	} else {
		s.pairs[c.last].next = i
	}
	c.last = i
}

// clock gives the wall time of a zone, worked out once for a context.
func (s *Scratch) clock(t time.Time, e *Estate, zone int32) hours.Moment {
	c := &s.clocks[zone]
	if c.stamp != s.stamp {
		*c = clock{s.stamp, hours.At(t, e.tree.zones[zone])}
	}
	return c.moment
}

// matches says whether every condition but the hours holds; that under which the grant is filed is known to.
func (w *World) matches(g *grant, f *facts) bool {
	if g.sessions != 0 && g.sessions&f.session == 0 || g.platforms != 0 && g.platforms&f.platform == 0 ||
		g.atOne != none && (f.at == none || !w.Estate.tree.under(f.at, g.atOne)) {
		return false
	}
	if g.does&conditions == 0 {
		return true
	}
	m := g.more
	return (m.at == nil || m.filed == filedAt || g.atOne != none || w.at(m.at, f)) &&
		(m.to == nil || m.filed == filedTo || w.to(m.to, f)) &&
		(m.on == nil || m.filed == filedOn || w.on(m.on, f)) &&
		(m.except == nil || !w.any(m.except, f))
}

func (w *World) to(c *cond, f *facts) bool {
	return f.user != "" && (c.everyone || slices.Contains(c.users, f.user) || overlap(f.names, c.users) ||
		overlap(c.groups, f.userGroups) || overlap(c.units, f.userUnits))
}

func (w *World) on(c *cond, f *facts) bool {
	return f.machine != "" && (slices.Contains(c.machines, f.machine) || overlap(c.groups, f.machGroups) ||
		overlap(c.units, f.machUnits)) ||
		f.host != "" && slices.Contains(c.hosts, f.host)
}

func (w *World) at(c *cond, f *facts) bool {
	if f.at != none {
		for _, l := range c.locs {
			if w.Estate.tree.under(f.at, l) {
				return true
			}
		}
	}
	if len(c.prefixes)+len(c.ranges) == 0 {
		return false
	}
	return slices.ContainsFunc(f.Addresses, c.holds)
}

// any is for except and access: any entry, groups and units through user or machine.
func (w *World) any(c *cond, f *facts) bool { return w.to(c, f) || w.on(c, f) || w.at(c, f) }

func overlap[T comparable](a, b []T) bool {
	for _, x := range a {
		if slices.Contains(b, x) {
			return true
		}
	}
	return false
}
