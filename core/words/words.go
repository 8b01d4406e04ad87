// Package words puts numbers and spans of time into sentences.
package words

import (
	"fmt"
	"strings"
	"time"
)

// Count writes a number of things, such as "1 queue", "3 queues", "2 people" and "4 addresses". many is the plural
// where it does not follow from the word: Count(2, "job waits", "jobs wait").
func Count(n int, one string, many ...string) string {
	switch {
	case n == 1:
		return "1 " + one
	case len(many) > 0:
		return fmt.Sprintf("%d %s", n, many[0])
	}
	return fmt.Sprintf("%d %s", n, plural(one))
}

func plural(one string) string {
	switch stem, y := strings.CutSuffix(one, "y"); {
	case strings.HasSuffix(one, "person"):
		return strings.TrimSuffix(one, "person") + "people"
	case y && stem != "" && !strings.ContainsAny(stem[len(stem)-1:], "aeiou"):
		return stem + "ies"
	case strings.HasSuffix(one, "s"), strings.HasSuffix(one, "x"), strings.HasSuffix(one, "ch"),
		strings.HasSuffix(one, "sh"):
		return one + "es"
	}
	return one + "s"
}

// Few names the first of many, such as "a, b and 3 more".
func Few(list []string, most int) string {
	if len(list) <= most {
		return strings.Join(list, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(list[:most], ", "), len(list)-most)
}

// Span writes a time span as people say it: 2 h, 1 h 59 min, 40 s.
func Span(d time.Duration) string {
	if d < time.Minute || d < 2*time.Minute && d%time.Minute != 0 {
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

// Size writes octets as people know files and disks.
func Size(n int64) string {
	switch {
	case n >= 10<<30:
		return fmt.Sprintf("%d GiB", n>>30)
	case n >= 10<<20:
		return fmt.Sprintf("%d MiB", n>>20)
	case n >= 10<<10:
		return fmt.Sprintf("%d KiB", n>>10)
	}
	return fmt.Sprintf("%d B", n)
}
