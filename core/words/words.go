// Package words puts numbers into sentences.
package words

import (
	"fmt"
	"time"
)

// Count writes a number of things, such as "1 queue" and "3 queues". The plural of one is made with an s, unless many
// is given: Count(2, "entry", "entries").
func Count(n int, one string, many ...string) string {
	switch {
	case n == 1:
		return "1 " + one
	case len(many) > 0:
		return fmt.Sprintf("%d %s", n, many[0])
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// Span writes a time span as people say it: 2 h, 1 h 59 min, 40 s.
func Span(d time.Duration) string {
	if d < 2*time.Minute && d%time.Minute != 0 {
		return fmt.Sprintf("%d s", int(d.Seconds()))
	}
	d = d.Round(time.Minute)
	h, m := int(d/time.Hour), int(d%time.Hour/time.Minute)
	switch {
	case h == 0:
		return fmt.Sprintf("%d min", m)
	case m == 0:
		return fmt.Sprintf("%d h", h)
	}
	return fmt.Sprintf("%d h %d min", h, m)
}
