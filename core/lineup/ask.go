package lineup

import (
	"slices"
	"time"
)

// An Asked is a context that a world has looked up once, to be answered at several times. It lies in the scratch that
// it was made with and ends when that is used for anything else. The zero Asked is a context that cannot be: it
// receives nothing, nowhere.
type Asked struct {
	w *World
	s *Scratch
}

// Ask looks a context up. The error is Resolve's; the Asked is zero then.
func (w *World) Ask(c Context, s *Scratch) (Asked, error) {
	if _, err := w.facts(c, s, false); err != nil {
		return Asked{}, err
	}
	return Asked{w, s}, nil
}

// At answers at a time, as Resolve does.
func (a Asked) At(t time.Time) *Lineup {
	if a.w == nil {
		return &Lineup{}
	}
	a.s.facts.Time = t
	return a.w.resolve(&a.s.facts, a.s)
}

// AtWithHours answers at a time, and gives the hours on which the context's lineups depend, as Timed does. They lie in
// the scratch like the answer.
func (a Asked) AtWithHours(t time.Time) (*Lineup, []Hours) {
	if a.w == nil {
		return &Lineup{}, nil
	}
	a.s.noteHours, a.s.hours = true, a.s.hours[:0]
	l := a.At(t)
	a.s.noteHours = false
	return l, a.s.hours
}

// noteHoursOf notes the hours of a grant whose other conditions hold.
func (s *Scratch) noteHoursOf(e *Estate, m *more) {
	for _, i := range m.queues {
		q := &e.queues[i]
		for _, week := range [2]int32{m.week, q.ends} {
			if h := (Hours{week, q.zone}); week != none && !slices.Contains(s.hours, h) {
				s.hours = append(s.hours, h)
			}
		}
	}
}
