package lineup

import (
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/path"
)

var (
	paused = ByPause
	closed = ByHours
	steps  = func() (list [64]int) {
		for i := range list {
			list[i] = i
		}
		return list
	}()
)

// write puts the answer together, in the scratch.
func (w *World) write(f *facts, s *Scratch) *Lineup {
	e := w.Estate
	s.lineup = Lineup{Context: f.echo(&s.echo), Revision: e.revision}
	// Kept queues are brought into order by rank, distance and name at once, those left out by name.
	s.keys, s.out, s.leftOut, s.names = s.keys[:0], s.out[:0], s.leftOut[:0], s.names[:0]
	for i := range s.seen {
		switch c := &s.seen[i]; {
		case !c.gives:
		case c.reason != "":
			s.out = append(s.out, uint64(c.queue)<<32|uint64(i))
		default:
			s.keys = append(s.keys, uint64(c.rank)<<62|uint64(c.distance)<<31|uint64(c.queue))
		}
	}
	slices.Sort(s.out)
	for _, key := range s.out {
		c := &s.seen[uint32(key)]
		s.leftOut = append(s.leftOut, LeftOut{e.queueNames[c.queue], c.reason, s.grants(e, c)})
	}
	hasDefault := s.order(s.keys)
	if n := len(s.keys); cap(s.entries) < n {
		s.entries = make([]Entry, n, 2*n)
	} else {
		s.entries = s.entries[:n]
	}
	for i, key := range s.keys {
		c := &s.seen[s.slots[key&(1<<31-1)].at]
		w.entry(f, s, c, &s.entries[i])
		s.entries[i].Grants = s.grants(e, c)
	}
	if hasDefault {
		s.entries[0].Default = true
	}
	if s.entries == nil {
		s.entries = []Entry{}
	}
	if s.leftOut == nil {
		s.leftOut = []LeftOut{}
	}
	s.lineup.Entries, s.lineup.LeftOut = s.entries, s.leftOut
	return &s.lineup
}

// grants names the grants of a queue's row. What was handed out before stays where it is when the room grows.
func (s *Scratch) grants(e *Estate, c *considered) []string {
	from := len(s.names)
	for p := c.first; p != none; p = s.pairs[p].next {
		if s.isNamed(c, p) {
			s.names = append(s.names, e.grantNames[s.pairs[p].grant])
		}
	}
	return s.names[from:len(s.names):len(s.names)]
}

// order finds the default (step 7), and brings the kept queues into order with it first (step 8).
func (s *Scratch) order(kept []uint64) (hasDefault bool) {
	slices.Sort(kept)
	best := -1
	weight, place := int16(0), uint64(0)
	for i, key := range kept {
		c := &s.seen[s.slots[key&(1<<31-1)].at]
		if c.rank == 2 || c.weight == 0 {
			continue
		}
		// By distance, then by name, whatever the rank.
		if at := key << 2; best < 0 || c.weight > weight || c.weight == weight && at < place {
			best, weight, place = i, c.weight, at
		}
	}
	if best > 0 {
		first := kept[best]
		copy(kept[1:best+1], kept[:best])
		kept[0] = first
	}
	return best >= 0
}

var effects = [3]string{Placed, Picked, Offered}

func (w *World) entry(f *facts, s *Scratch, c *considered, out *Entry) {
	e := w.Estate
	q := &e.queues[c.queue]
	r := &q.entries[c.choice.entry]
	*out = Entry{Queue: r.queue, Title: r.title, Effect: effects[c.rank], Scope: "user", IfRemoved: string(estate.Leave),
		Stranded: c.choice.stranded, Path: r.path, Driver: estate.Driverless, Options: r.options, wire: r.wire}
	for p := c.first; p != none; p = s.pairs[p].next {
		g := &s.pairs[p]
		if g.passed || g.does&withholds != 0 {
			continue
		}
		out.Insist = out.Insist || g.does&insists != 0
		if g.does&restores != 0 {
			out.IfRemoved = string(estate.Restore)
		}
		if g.does&(places|personal) == places {
			out.Scope = "machine"
		}
	}
	if q.paused {
		out.NotAccepting = &paused
	} else if q.open != nil && !(q.waits && r.path.Through == path.Gateway) &&
		!q.open.Open(s.clock(f.Time, e, q.zone)) {
		out.NotAccepting = &closed
	}
	if c.distance != far {
		if int(c.distance) < len(steps) {
			out.Distance = &steps[c.distance]
		} else {
			d := int(c.distance)
			out.Distance = &d
		}
	}
	if d := c.choice.driver; d != none {
		out.Driver, out.Exact = e.drivers[d].name, &e.drivers[d].exact
	}
}

// driverFor chooses among a queue's drivers for a platform, "" for an unknown one.
func (e *Estate) driverFor(drivers []choice, platform string) int32 {
	if platform == "" {
		for _, c := range drivers {
			if c.key == "*" {
				return c.driver
			}
		}
		return drivers[0].driver
	}
	system, _, _ := strings.Cut(platform, "/")
	for _, key := range [3]string{platform, system, "*"} {
		for _, c := range drivers {
			if c.key == key && e.driverFits(c.driver, platform, system) {
				return c.driver
			}
		}
	}
	return noDriver
}

func (e *Estate) driverFits(d int32, platform, system string) bool {
	return d == none || e.drivers[d].platform == platform || e.drivers[d].platform == system
}
