package hours

import (
	"fmt"
	"time"
)

// A Refusal says why a queue takes no jobs, in a sentence for whoever prints; "" where it takes them. Until is when its
// hours begin again: nil where it is paused, or they never do.
type Refusal struct {
	Says  string
	Until *time.Time
}

// RefusalOf says why a queue takes no jobs at a time: it is paused, or closed by its hours, by the clock of a zone.
func RefusalOf(queue string, paused bool, open Schedule, at time.Time, zone *time.Location) Refusal {
	switch {
	case paused:
		return Refusal{Says: fmt.Sprintf("the queue %s is paused", queue)}
	case open.Open(At(at, zone)):
		return Refusal{}
	}
	if next, ok := open.NextEdge(at, zone); ok {
		return Refusal{fmt.Sprintf("the queue %s is closed at this hour; it takes jobs again from %s", queue,
			next.In(zone).Format("Mon 2 January 15:04")), &next}
	}
	return Refusal{Says: fmt.Sprintf("the queue %s is closed", queue)}
}
