package lineup

import (
	"cmp"
	"math/bits"
	"slices"
	"time"

	"cirque/core/hours"
	"cirque/core/path"
	"cirque/internal/fault"
)

// A Scratch holds what Resolve would else allocate anew each time, the answer included. It may be used again, for any
// world, by one goroutine at a time.
type Scratch struct {
	facts   facts
	bits    []uint64 // by grant; all clear between uses
	slots   []slot   // by queue
	stamp   uint32   // marks the slots, sets and clocks of this use
	seen    []considered
	pairs   []pair
	near    []near
	line    []int32
	sets    []setChoice
	clocks  []clock
	keys    []uint64 // of kept queues, by rank, distance and name
	out     []uint64 // of queues left out, by name
	picked  []int32
	members path.Spreader

	// The answer.
	lineup  Lineup
	echo    echoed
	entries []Entry
	leftOut []LeftOut
	names   []string
}

type slot struct {
	stamp uint32
	at    int32 // in seen
}

// considered is one queue that a matching grant selects.
type considered struct {
	queue       int32
	first, last int32 // pairs, linked in the order of grants
	gives       bool
	withheld    bool
	rank        uint8 // 0 placed, 1 picked, 2 offered
	reason      Reason
	distance    int32
	choice      pick
	weight      int16
	counting    int32 // grants
}

// pair is one matching grant that selects one queue.
type pair struct {
	grant  int32
	of     int32 // in seen
	next   int32
	does   does
	weight int16
	passed bool // its nearest passed the queue over
}

// near is a matching grant with nearest, and its pairs.
type near struct{ grant, from, to int32 }

type setChoice struct {
	stamp  uint32
	member int32
	ok     bool
}

type clock struct {
	stamp  uint32
	moment hours.Moment
}

// begin makes room for a world. Stamps only ever rise, so that what an earlier use left is out of date.
func (s *Scratch) begin(e *Estate) {
	if n := (len(e.grants) + 63) / 64; len(s.bits) < n {
		s.bits = make([]uint64, n)
	}
	if len(s.slots) < len(e.queues) {
		s.slots = make([]slot, len(e.queues))
	}
	if len(s.sets) < len(e.doc.ServerSets) {
		s.sets = make([]setChoice, len(e.doc.ServerSets))
	}
	if len(s.clocks) < len(e.tree.zones) {
		s.clocks = make([]clock, len(e.tree.zones))
	}
	if s.stamp++; s.stamp == 0 { // it has gone round
		clear(s.slots)
		clear(s.sets)
		clear(s.clocks)
		s.stamp = 1
	}
	s.seen, s.pairs, s.near, s.picked = s.seen[:0], s.pairs[:0], s.near[:0], s.picked[:0]
	s.members = path.Spreader{}
}

// Resolve answers a context (estate.md, section 5). The only error is a given location that the estate does not know.
// The answer lies in s and is overwritten when s is used again; with nil it is the caller's own.
func (w *World) Resolve(c Context, s *Scratch) (*Lineup, error) {
	if s == nil {
		s = new(Scratch)
	}
	f, err := w.facts(c, s, false)
	if err != nil {
		return nil, err
	}
	return w.resolve(f, s), nil
}

func (w *World) resolve(f *facts, s *Scratch) *Lineup {
	w.gather(f, s)
	for i := range s.seen {
		if c := &s.seen[i]; c.gives {
			w.judge(f, s, c)
		}
	}
	for _, n := range s.near {
		w.passOver(s, n)
	}
	w.count(f, s)
	return w.write(f, s)
}

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
	return f.user != "" && (c.everyone || slices.Contains(c.users, f.user) || overlap(c.groups, f.userGroups) || overlap(c.units, f.userUnits))
}

func (w *World) on(c *cond, f *facts) bool {
	return f.machine != "" && (slices.Contains(c.machines, f.machine) || overlap(c.groups, f.machGroups) || overlap(c.units, f.machUnits)) ||
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

func overlap(a, b []int32) bool {
	for _, x := range a {
		if slices.Contains(b, x) {
			return true
		}
	}
	return false
}

// judge takes a queue that is given through steps 1, 3 and 4.
func (w *World) judge(f *facts, s *Scratch, c *considered) {
	q := &w.Estate.queues[c.queue]
	switch {
	case c.withheld:
		c.reason = Withheld
	case q.retired:
		c.reason = Retired
	case !w.permitted(q, f):
		c.reason = NotPermitted
	default:
		c.choice, c.reason = w.pick(q, f, s)
		c.distance = w.Estate.tree.distance(f.at, q.loc)
	}
}

func (w *World) permitted(q *queue, f *facts) bool {
	a := q.access
	return a == nil || (a.deny == nil || !w.any(a.deny, f)) && (a.allow == nil || w.any(a.allow, f))
}

// passOver marks the queues that a grant's nearest passes over: all but the first so many that have a distance, those
// that are not stranded first, then by distance, then by name.
func (w *World) passOver(s *Scratch, n near) {
	line := s.line[:0]
	for i := n.from; i < n.to; i++ {
		c := &s.seen[s.pairs[i].of]
		s.pairs[i].passed = true
		if c.reason == "" && c.gives && c.distance != far {
			line = append(line, i)
		}
	}
	s.line = line
	slices.SortFunc(line, func(a, b int32) int {
		x, y := &s.seen[s.pairs[a].of], &s.seen[s.pairs[b].of]
		if x.choice.stranded != y.choice.stranded {
			if y.choice.stranded {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(x.distance, y.distance), cmp.Compare(x.queue, y.queue))
	})
	for _, i := range line[:min(len(line), int(w.Estate.grants[n.grant].nearest))] {
		s.pairs[i].passed = false
	}
}

// count takes the queues that are still in through steps 2 and 5.
func (w *World) count(f *facts, s *Scratch) {
	w.picks(f, s)
	for i := range s.seen {
		c := &s.seen[i]
		if !c.gives {
			continue
		}
		c.rank = 2
		for p := c.first; p != none; p = s.pairs[p].next {
			g := &s.pairs[p]
			if g.does&withholds != 0 || g.passed {
				continue
			}
			c.counting++
			c.weight = max(c.weight, g.weight)
			if g.does&places != 0 {
				c.rank = 0
			}
		}
		if c.rank == 2 && slices.Contains(s.picked, c.queue) {
			c.rank = 1
		}
		switch {
		case c.reason != "" || c.counting > 0:
		case c.distance == far:
			c.reason = NoDistance
		default:
			c.reason = NotNearest
		}
	}
}

// isNamed says whether the answer's row for a queue names the grant of a pair: the withholding ones where it is withheld,
// the giving ones where it is left out else, and the counting ones where it is in the lineup.
func (s *Scratch) isNamed(c *considered, p int32) bool {
	return s.pairs[p].does&withholds != 0 == (c.reason == Withheld) && (c.reason != "" || !s.pairs[p].passed)
}

// picks finds what the context's user has picked.
func (w *World) picks(f *facts, s *Scratch) {
	if f.user == "" {
		return
	}
	for _, called := range w.Live.Picks[f.user] {
		if q, ok := w.Estate.queueByName[called]; ok {
			s.picked = append(s.picked, q)
		}
	}
}

// pick is a path with its driver; driver is none for driverless, entry the queue's entry that leads there.
type pick struct {
	path, entry, driver int32
	stranded            bool
}

// pick chooses path and driver together (step 4).
func (w *World) pick(q *queue, f *facts, s *Scratch) (pick, Reason) {
	direct := none
	if q.fits != nil {
		direct = int32(q.fits[f.platformAt])
	}
	first, open := pick{path: none}, false
	for i := range q.paths {
		p := &q.paths[i]
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
		member, ok := w.usable(q, i, f, s)
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
	return (p.sessions == 0 || p.sessions&f.session != 0) && (p.at == nil || w.at(p.at, f))
}

// usable says whether a queue's path can be used just now, and through which member of a set.
func (w *World) usable(q *queue, i int, f *facts, s *Scratch) (member int32, ok bool) {
	switch p := &q.paths[i]; p.kind {
	case wayDevice:
		return 0, w.answering[p.through]
	case wayServer:
		return 0, w.serving[p.through]
	case waySet:
		c := &s.sets[p.through]
		if c.stamp != s.stamp {
			full := &q.ways[i]
			m, ok := path.Choose(full.Style, full.Members, s.spread(f), func(i int) bool { return w.serving[full.members[i]] })
			*c = setChoice{s.stamp, int32(m), ok}
		}
		return c.member, c.ok
	}
	return 0, true
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

// Permitted says whether a context may print to a queue at all (step 3), whatever grants say. Errors are a queue or given
// location that the estate does not know.
func (w *World) Permitted(c Context, called string) (bool, error) {
	i, ok := w.Estate.queueByName[called]
	if !ok {
		return false, fault.New(fault.Unknown, "queue-unknown", "see cirque queue list", "the estate has no queue %q", called)
	}
	f, err := w.facts(c, new(Scratch), false)
	if err != nil {
		return false, err
	}
	return w.permitted(&w.Estate.queues[i], f), nil
}
