// Package span reads and writes lengths of time as people write them: a number and its unit, such as 90s, 5m, 2h, 3d or
// 1w, or several of them, such as 1h30m. A day has 24 hours and a week seven days: a span knows no clock.
package span

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// units from the longest; the names are what Format writes.
var units = []struct {
	name string
	is   time.Duration
}{{"d", 24 * time.Hour}, {"h", time.Hour}, {"m", time.Minute}, {"s", time.Second}, {"ms", time.Millisecond}}

// most is the longest span that is read: a hundred years.
const most = 100 * 366 * 24 * time.Hour

// Parse reads a span. Its error says what is wrong and how one is written; 0 needs no unit.
func Parse(text string) (time.Duration, error) {
	rest := strings.ReplaceAll(text, " ", "")
	if rest == "0" {
		return 0, nil
	}
	if rest == "" {
		return 0, errors.New("no length of time is given: write one such as 90s, 5m, 2h or 3d")
	}
	var sum time.Duration
	for rest != "" {
		n := strings.IndexFunc(rest, func(r rune) bool { return (r < '0' || r > '9') && r != '.' })
		if n < 0 {
			return 0, fmt.Errorf("%s has no unit: write %ss, %sm, %sh or %sd", text, rest, rest, rest, rest)
		}
		number, err := strconv.ParseFloat(rest[:n], 64)
		if err != nil {
			return 0, fmt.Errorf("%q is no length of time: write one such as 90s, 5m, 2h or 3d", text)
		}
		rest = rest[n:]
		end := strings.IndexFunc(rest, func(r rune) bool { return r >= '0' && r <= '9' || r == '.' })
		if end < 0 {
			end = len(rest)
		}
		unit, ok := unitOf(rest[:end])
		if !ok {
			return 0, fmt.Errorf("%q in %q is no unit of time: s, m, h, d or w", rest[:end], text)
		}
		if rest = rest[end:]; number*float64(unit) > float64(most) || sum > most {
			return 0, fmt.Errorf("%s is too long: a hundred years at most", text)
		}
		sum += time.Duration(number * float64(unit))
	}
	return sum, nil
}

func unitOf(name string) (time.Duration, bool) {
	switch name {
	case "w":
		return 7 * 24 * time.Hour, true
	case "min":
		return time.Minute, true
	}
	for _, u := range units {
		if u.name == name {
			return u.is, true
		}
	}
	return 0, false
}

// Format writes a span so that Parse reads the same again, to the millisecond: 90s as 1m30s, 48h as 2d, nothing as 0s.
func Format(d time.Duration) string {
	d = d.Round(time.Millisecond)
	if d == 0 {
		return "0s"
	}
	var b strings.Builder
	if d < 0 {
		b.WriteByte('-')
		d = -d
	}
	for _, u := range units {
		if n := d / u.is; n > 0 {
			fmt.Fprintf(&b, "%d%s", n, u.name)
			d -= n * u.is
		}
	}
	return b.String()
}

// A Span is a length of time that is written as text, in YAML and in JSON; its zero value is left out.
type Span time.Duration

// D is the length of time.
func (s Span) D() time.Duration { return time.Duration(s) }

// Or is the span, or another where it is none.
func (s Span) Or(other time.Duration) time.Duration {
	if s == 0 {
		return other
	}
	return time.Duration(s)
}

func (s Span) String() string { return Format(time.Duration(s)) }

// MarshalText writes a span as Format does.
func (s Span) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads one as Parse does.
func (s *Span) UnmarshalText(text []byte) error {
	d, err := Parse(string(text))
	*s = Span(d)
	return err
}
