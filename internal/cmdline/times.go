package cmdline

import (
	"fmt"
	"strings"
	"time"

	"cirque/core/span"
)

// The types of flags that hold times; help names their values by them.
const (
	spanType   = "span"
	momentType = "moment"
)

// A Span is a flag that holds a length of time, always with its unit.
type Span time.Duration

// Set reads one.
func (s *Span) Set(text string) error {
	d, err := span.Parse(text)
	*s = Span(d)
	return err
}

func (s *Span) String() string { return span.Format(time.Duration(*s)) }

// Type names the sort of value.
func (*Span) Type() string { return spanType }

// A Moment is a flag that holds a time: see ParseMoment. It is made sense of when the command runs, by its clock and
// zone.
type Moment struct {
	text string
	// Ahead has a bare span mean from now on, and a bare clock time the next such; else they lie in the past.
	Ahead bool
}

// Set keeps a time that can be read.
func (m *Moment) Set(text string) error {
	m.text = text
	_, err := ParseMoment(text, time.Now(), m.Ahead)
	return err
}

func (m *Moment) String() string { return m.text }

// Type names the sort of value.
func (*Moment) Type() string { return momentType }

// At is the time meant; the zero time where none was given.
func (m *Moment) At(now time.Time) time.Time {
	if m.text == "" {
		return time.Time{}
	}
	at, _ := ParseMoment(m.text, now, m.Ahead) // Set has read it
	return at
}

// ParseMoment reads a time as people give it, in the zone of now where it names none: RFC 3339, a day, a day with a
// clock time, a clock time alone, or a span from now on or, looking back, before now.
func ParseMoment(text string, now time.Time, ahead bool) (time.Time, error) {
	text = strings.TrimSpace(text)
	if at, err := time.Parse(time.RFC3339, text); err == nil {
		return at, nil
	}
	if text == "now" {
		return now, nil
	}
	for _, form := range []string{time.DateOnly, "2006-01-02 15:04", "2006-01-02T15:04", time.DateTime,
		"2006-01-02T15:04:05"} {
		if at, err := time.ParseInLocation(form, text, now.Location()); err == nil {
			return at, nil
		}
	}
	if clock, err := time.Parse("15:04", text); err == nil {
		y, m, d := now.Date()
		at := time.Date(y, m, d, clock.Hour(), clock.Minute(), 0, 0, now.Location())
		if ahead && !at.After(now) {
			return at.AddDate(0, 0, 1), nil
		}
		if !ahead && at.After(now) {
			return at.AddDate(0, 0, -1), nil
		}
		return at, nil
	}
	if d, err := span.Parse(text); err == nil {
		if ahead {
			return now.Add(d), nil
		}
		return now.Add(-d), nil
	} else if strings.Contains(err.Error(), "has no unit") {
		return time.Time{}, err
	}
	bare := "2h (ago)"
	if ahead {
		bare = "2h (from now)"
	}
	return time.Time{}, fmt.Errorf("that is no time: write 2026-11-23, \"2026-11-23 14:00\", 14:00, %s, or "+
		"RFC 3339 such as 2026-11-23T14:00:00+01:00", bare)
}

// A Zone writes times: all with the zone in which they are told.
type Zone struct{ *time.Location }

// At writes a moment to the second.
func (z Zone) At(t time.Time) string { return t.In(z.Location).Format("2006-01-02 15:04:05 MST") }

// Minute writes a moment to the minute.
func (z Zone) Minute(t time.Time) string { return t.In(z.Location).Format("2006-01-02 15:04 MST") }

// Clock writes the time of a day that is known.
func (z Zone) Clock(t time.Time) string { return t.In(z.Location).Format("15:04:05 MST") }

// Day writes a day.
func (z Zone) Day(t time.Time) string { return t.In(z.Location).Format(time.DateOnly) }
