package lineup

import (
	"encoding/binary"
	"math/bits"
	"time"

	"cirque/core/hours"
)

// Hours are the hours of some grant by the clock of some queue's site. Numbers are those of one Estate.
type Hours struct{ week, zone int32 }

// Append appends a key by which hours of one Estate can be told apart.
func (h Hours) Append(b []byte) []byte {
	return binary.LittleEndian.AppendUint32(binary.LittleEndian.AppendUint32(b, uint32(h.week)), uint32(h.zone))
}

// Hours gives the windows, with their end, and the zone.
func (e *Estate) Hours(h Hours) (hours.Schedule, *time.Location) {
	return e.refs.weeks[h.week], e.tree.zones[h.zone]
}

// Timed says whether any grant or queue of the estate has hours.
func (e *Estate) Timed() bool { return e.timed }

// Timed appends the hours on which a context's lineup depends: those of the grants whose other conditions hold, each
// once. Opening hours of queues change only whether they take jobs. The error is Resolve's.
func (w *World) Timed(c Context, s *Scratch, into []Hours) ([]Hours, error) {
	s.hours = s.hours[:0]
	err := w.candidates(c, s, func(g *more, timed bool) {
		if timed {
			s.noteHoursOf(w.Estate, g)
		}
	})
	return append(into, s.hours...), err
}

// NextEdge gives the first instant after the context's time at which opening hours could change its lineup; ok is false
// where none does within a week. Hours of queues change whether they take jobs, not who has them: they count where
// ofQueues. The error is Resolve's.
func (w *World) NextEdge(c Context, s *Scratch, ofQueues bool) (edge time.Time, ok bool, err error) {
	e := w.Estate
	if !e.timed {
		return time.Time{}, false, nil
	}
	done := map[Hours]bool{}
	look := func(open hours.Schedule, week, zone int32) {
		h := Hours{week, zone}
		if open.Always() || week != none && done[h] {
			return
		}
		done[h] = true
		if at, some := open.NextEdge(c.Time, e.tree.zones[zone]); some && (!ok || at.Before(edge)) {
			edge, ok = at, true
		}
	}
	queues := map[int32]bool{}
	err = w.candidates(c, s, func(g *more, timed bool) {
		for _, i := range g.queues {
			q := &e.queues[i]
			if timed {
				look(g.open, g.week, q.zone)
				if q.ends != none {
					look(e.refs.weeks[q.ends], q.ends, q.zone)
				}
			}
			if ofQueues && q.open != nil && !queues[i] {
				queues[i] = true
				look(hours.Schedule{Week: *q.open}, none, q.zone)
			}
		}
	})
	return edge, ok, err
}

// candidates calls f for every grant whose conditions hold, but for the hours.
func (w *World) candidates(c Context, s *Scratch, f func(g *more, timed bool)) error {
	e := w.Estate
	if !e.timed {
		return nil
	}
	facts, err := w.facts(c, s, false)
	if err != nil {
		return err
	}
	s.begin(e)
	from, to := e.index.mark(facts, e.tree.locs, s.bits)
	for i := from; i < to; i++ {
		word := s.bits[i]
		s.bits[i] = 0
		for ; word != 0; word &= word - 1 {
			g := &e.grants[i<<6+int32(bits.TrailingZeros64(word))]
			if w.matches(g, facts) {
				f(g.more, g.does&timed != 0)
			}
		}
	}
	return nil
}

// Refuses says why a queue takes no jobs at a time, in words, empty where it does: it is paused, or closed by its
// hours. until is when these begin again, nil where it is paused or they never do.
func (w *World) Refuses(called string, at time.Time) (says string, until *time.Time) {
	i, ok := w.Estate.queueByName[called]
	if !ok {
		return "", nil
	}
	q := &w.Estate.queues[i]
	open := hours.Schedule{}
	if q.open != nil {
		open.Week = *q.open
	}
	r := hours.RefusalOf(q.Name, q.paused, open, at, w.Estate.tree.zones[q.zone])
	return r.Says, r.Until
}
