package rehearse

import (
	"time"

	"cirque/core/lineup"
)

// A Wish is a queue on a platform.
type Wish struct{ Queue, Platform string }

// A Demand counts the people and machines that receive queues on platforms, those included for whom a queue is left out
// because no driver fits.
type Demand map[Wish]int

// Wanted counts in a range of cases; of cases whose platform is not known nothing is counted. Cases of one person must
// not be divided between ranges.
func Wanted(w *lineup.World, cases []Case, now time.Time, from, to int, s *lineup.Scratch) Demand {
	out := Demand{}
	seen := map[Wish]bool{}
	for i := from; i < to; i++ {
		c := cases[i]
		if i == from || c.Kind != cases[i-1].Kind || c.Name != cases[i-1].Name {
			clear(seen)
		}
		context := c.Context
		if context.Platform == "" {
			continue
		}
		context.Time = now
		l, err := w.Resolve(context, s)
		if err != nil {
			continue
		}
		count := func(queue string) {
			if wish := (Wish{queue, context.Platform}); !seen[wish] {
				seen[wish] = true
				out[wish]++
			}
		}
		for _, e := range l.Entries {
			count(e.Queue)
		}
		for _, e := range l.LeftOut {
			if e.Reason == lineup.NoDriver {
				count(e.Queue)
			}
		}
	}
	return out
}

// Add adds what was counted in another range.
func (d Demand) Add(o Demand) {
	for k, n := range o {
		d[k] += n
	}
}
