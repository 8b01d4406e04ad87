package hours

import (
	"fmt"
	"slices"
	"time"
)

// An End is when something ends for good: with the last second of a day, by the wall's clock, or at an instant. The
// zero value never comes.
type End struct {
	day int       // the last day, as YYYYMMDD; 0 where at says it
	at  time.Time // the first instant after it
}

// ParseEnd reads an end: a day, such as 2026-12-31, which it still holds on, or an instant (RFC 3339). The error says
// what is wrong and, after "; ", how to mend it.
func ParseEnd(s string) (End, error) {
	if s == "" {
		return End{}, nil
	}
	if d, err := time.Parse(time.DateOnly, s); err == nil {
		return End{day: dayOf(d)}, nil
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return End{}, fmt.Errorf("%q is no day and no time; write the last day, such as 2026-12-31, or a time with its "+
			"offset, such as 2026-12-31T18:00:00+01:00", s)
	}
	return End{at: t}, nil
}

func dayOf(t time.Time) int {
	y, m, d := t.Date()
	return y*10000 + int(m)*100 + d
}

// Some says whether there is an end at all.
func (e End) Some() bool { return e != End{} }

// Over says whether it is over at a moment.
func (e End) Over(m Moment) bool {
	switch {
	case e.day != 0:
		return m.Date > e.day
	case !e.at.IsZero():
		return !m.At.Before(e.at)
	}
	return false
}

// In gives the first instant at which it is over by the clock of a zone; ok is false where it never is.
func (e End) In(zone *time.Location) (at time.Time, ok bool) {
	if e.day == 0 {
		return e.at, !e.at.IsZero()
	}
	at = time.Date(e.day/10000, time.Month(e.day/100%100), e.day%100+1, 0, 0, 0, 0, zone)
	// Where midnight is left out, by a change of the clock, Date may give an instant of the day before.
	if dayOf(at.In(zone)) <= e.day {
		_, at = at.ZoneBounds()
	}
	return at, true
}

// A Schedule is open in a week's windows, always where it has none, up to an end.
type Schedule struct {
	Week Week
	End  End
}

// Always says whether it is never closed.
func (s Schedule) Always() bool { return s.Week == nil && !s.End.Some() }

// Open says whether it is open at a moment.
func (s Schedule) Open(m Moment) bool { return !s.End.Over(m) && (s.Week == nil || s.Week.Open(m)) }

// NextEdge gives the first instant after t, within Horizon, at which Open changes in a zone; ok is false where none
// does.
func (s Schedule) NextEdge(t time.Time, zone *time.Location) (edge time.Time, ok bool) {
	end, some := s.End.In(zone)
	if some && !end.After(t) {
		return time.Time{}, false // it is over
	}
	if s.Week != nil {
		edge, ok = s.Week.NextEdge(t, zone)
	}
	if !some || ok && edge.Before(end) {
		return edge, ok
	}
	// Where it is closed already when it ends, nothing changes then.
	if s.Week != nil && !s.Week.Open(At(end.Add(-time.Second), zone)) || end.After(t.Add(Horizon)) {
		return time.Time{}, false
	}
	return end, true
}

// Edges gives every instant after t and up to until at which Open changes, ascending.
func (s Schedule) Edges(t, until time.Time, zone *time.Location) []time.Time {
	var out []time.Time
	for {
		edge, ok := s.NextEdge(t, zone)
		if !ok || edge.After(until) {
			return slices.Clip(out)
		}
		out = append(out, edge)
		t = edge
	}
}
