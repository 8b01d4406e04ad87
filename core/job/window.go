package job

import (
	"time"

	"cirque/core/estate"
)

// Begins gives the local date on which the window of an allowance begins that holds a time, such as 2026-11-30; "" for
// one that never begins anew. A nil zone is UTC.
func Begins(every estate.Every, at time.Time, zone *time.Location) string {
	if y, m, d, ok := first(every, at, zone); ok {
		return time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Format(time.DateOnly)
	}
	return ""
}

// NextBegins gives the first instant of the window after the one that holds a time; ok is false where there is none.
func NextBegins(every estate.Every, at time.Time, zone *time.Location) (next time.Time, ok bool) {
	y, m, d, ok := first(every, at, zone)
	if !ok {
		return time.Time{}, false
	}
	switch every {
	case estate.EveryDay:
		d++
	case estate.EveryWeek:
		d += 7
	default:
		m++
	}
	return dawn(y, m, d, zone), true
}

// first is the date on which the window begins that holds a time.
func first(every estate.Every, at time.Time, zone *time.Location) (y int, m time.Month, d int, ok bool) {
	y, m, d = in(at, zone).Date()
	switch every {
	case estate.EveryDay:
	case estate.EveryWeek: // from Monday
		day := time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
		y, m, d = day.AddDate(0, 0, -(int(day.Weekday())+6)%7).Date()
	case estate.EveryMonth:
		d = 1
	default:
		return 0, 0, 0, false
	}
	return y, m, d, true
}

func in(at time.Time, zone *time.Location) time.Time {
	if zone == nil {
		zone = time.UTC
	}
	return at.In(zone)
}

// dawn is the first instant of a date: midnight, or what follows where the clock skips it.
func dawn(y int, m time.Month, d int, zone *time.Location) time.Time {
	date := time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
	// Zones are at most 15 hours from UTC. Local dates grow with time, so that the first second can be searched for.
	low, high := date.Add(-16*time.Hour), date.Add(16*time.Hour)
	for high.Sub(low) > time.Second {
		mid := low.Add(high.Sub(low) / 2).Truncate(time.Second)
		ly, lm, ld := in(mid, zone).Date()
		if time.Date(ly, lm, ld, 0, 0, 0, 0, time.UTC).Before(date) {
			low = mid
		} else {
			high = mid
		}
	}
	return high
}
