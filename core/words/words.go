// Package words puts numbers into sentences.
package words

import "fmt"

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
