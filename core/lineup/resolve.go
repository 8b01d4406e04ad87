package lineup

import (
	"cmp"
	"slices"

	"cirque/core/fault"
	"cirque/core/hours"
	"cirque/core/path"
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

	noteHours bool    // gather notes them
	hours     []Hours // see AtWithHours

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

// judge takes a queue that is given through steps 1, 3 and 4.
func (w *World) judge(f *facts, s *Scratch, c *considered) {
	q := &w.Estate.queues[c.queue]
	switch {
	case c.withheld:
		c.reason = Withheld
	case q.retired || q.ends != none && !w.Estate.refs.weeks[q.ends].Open(s.clock(f.Time, w.Estate, q.zone)):
		c.reason = Retired
	case !w.permitted(q, f):
		c.reason = NotPermitted
	default:
		c.choice, c.reason = w.pick(c.queue, f, s)
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
			if !w.Estate.queues[c.queue].aside {
				c.weight = max(c.weight, g.weight)
			}
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

// isNamed says whether the answer's row for a queue names the grant of a pair: the withholding ones where it is
// withheld, the giving ones where it is left out else, and the counting ones where it is in the lineup.
func (s *Scratch) isNamed(c *considered, p int32) bool {
	return s.pairs[p].does&withholds != 0 == (c.reason == Withheld) && (c.reason != "" || !s.pairs[p].passed)
}

// picks finds what the context's user has picked.
func (w *World) picks(f *facts, s *Scratch) {
	if f.user == "" {
		return
	}
	pick := func(person string) {
		for _, called := range w.Live.Picks[person] {
			if q, ok := w.Estate.queueByName[called]; ok {
				s.picked = append(s.picked, q)
			}
		}
	}
	pick(f.user)
	for _, n := range f.names {
		pick(n)
	}
}

// Permitted says whether a context may print to a queue at all (step 3), whatever grants say. Errors are a queue or
// given location that the estate does not know.
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
