// Package hours answers when a week's windows of local wall time are open, and when that next changes.
package hours

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"time"
)

// Days are the days of a week as windows name them, Sunday first, in the order of time.Weekday.
func Days() []string { return []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"} }

// A Window is open on some days from one wall time to another; the end is outside. One whose end is at or before its
// beginning runs past midnight and belongs to the day on which it began.
type Window struct {
	days     [7]bool // by time.Weekday
	from, to int     // minutes after midnight, 0 to 1439
}

// Parse reads a window. No days are every day; from and to are written HH:MM. The error says what is wrong and, after
// "; ", how to mend it.
func Parse(days []string, from, to string) (Window, error) {
	w, bad := read(days, from, to)
	if len(bad) > 0 {
		return w, bad[0]
	}
	return w, nil
}

// Problems tells all that is wrong with a window; of times that are not written nothing.
func Problems(days []string, from, to string) []error {
	_, bad := read(days, cmp.Or(from, "00:00"), cmp.Or(to, "00:00"))
	return bad
}

func read(days []string, from, to string) (w Window, bad []error) {
	for _, d := range days {
		i := slices.Index(Days(), d)
		if i < 0 {
			bad = append(bad, fmt.Errorf("%q is no day; write mon, tue, wed, thu, fri, sat or sun", d))
			continue
		}
		w.days[i] = true
	}
	if len(days) == 0 {
		w.days = [7]bool{true, true, true, true, true, true, true}
	}
	var err error
	if w.from, err = clock(from); err != nil {
		bad = append(bad, err)
	}
	if w.to, err = clock(to); err != nil && to != from {
		bad = append(bad, err)
	}
	return w, bad
}

func clock(s string) (int, error) {
	if len(s) == 5 && s[2] == ':' {
		h, errH := strconv.ParseUint(s[:2], 10, 8)
		m, errM := strconv.ParseUint(s[3:], 10, 8)
		switch {
		case errH == nil && errM == nil && h < 24 && m < 60:
			return int(h)*60 + int(m), nil
		case s == "24:00":
			return 0, fmt.Errorf("%q is no time of a day; write \"00:00\" for midnight", s)
		}
	}
	return 0, fmt.Errorf("%q is no time of a day; write HH:MM in quotes, such as \"06:30\"", s)
}

// A Week is a set of windows that add up.
type Week []Window

// A Moment is what a clock on the wall shows.
type Moment struct {
	Day    time.Weekday
	Second int // after midnight
	Date   int // as YYYYMMDD
	At     time.Time
}

// At gives the wall time of an instant in a zone.
func At(t time.Time, zone *time.Location) Moment {
	t = t.In(zone)
	h, m, s := t.Clock()
	return Moment{t.Weekday(), h*3600 + m*60 + s, dayOf(t), t}
}

// Open says whether any window is open at a moment.
func (w Week) Open(m Moment) bool {
	for _, x := range w {
		if x.open(m) {
			return true
		}
	}
	return false
}

func (w Window) open(m Moment) bool {
	from, to := w.from*60, w.to*60
	today, yesterday := w.days[m.Day], w.days[(m.Day+6)%7]
	if from < to {
		return today && from <= m.Second && m.Second < to
	}
	return today && from <= m.Second || yesterday && m.Second < to
}

// Horizon is how far NextEdge looks: a week and the day on which a window may have begun.
const Horizon = 8 * 24 * time.Hour

// NextEdge gives the first instant after t at which Open changes in a zone; ok is false where it never does. An edge
// may also be a change of the zone's offset, which moves the wall clock past the beginning or end of a window.
func (w Week) NextEdge(t time.Time, zone *time.Location) (edge time.Time, ok bool) {
	now := w.Open(At(t, zone))
	for _, at := range w.instants(t, zone) {
		if w.Open(At(at, zone)) != now {
			return at, true
		}
	}
	return time.Time{}, false
}

// instants gives, ascending, the instants after t and within the horizon at which a window could begin or end.
func (w Week) instants(t time.Time, zone *time.Location) []time.Time {
	end := t.Add(Horizon)
	var out []time.Time
	// Within one stretch of constant offset wall times and instants move together.
	for from := t; from.Before(end); {
		_, change := from.In(zone).ZoneBounds()
		to := end
		if !change.IsZero() && change.Before(end) {
			to = change
			out = append(out, change)
		}
		_, offset := from.In(zone).Zone()
		midnight := from.Add(time.Duration(offset) * time.Second).UTC().Truncate(24 * time.Hour).Add(-time.Duration(
			offset) * time.Second)
		for ; midnight.Before(to); midnight = midnight.Add(24 * time.Hour) {
			for _, x := range w {
				for _, minute := range [2]int{x.from, x.to} {
					if at := midnight.Add(time.Duration(minute) * time.Minute); at.After(t) && !at.Before(from) && at.Before(to) {
						out = append(out, at)
					}
				}
			}
		}
		from = to
	}
	slices.SortFunc(out, time.Time.Compare)
	return slices.CompactFunc(out, time.Time.Equal)
}
