package estate

import (
	"strings"
	"time"

	"cirque/core/document"
	"cirque/core/hours"
)

// An Ending is an object that ends by date.
type Ending struct {
	Ref
	Until string
	End   hours.End
}

// Endings are the objects that end by date, in the order of their lists.
func (d *Document) Endings() []Ending {
	var out []Ending
	add := func(list, name, until string) {
		if end, err := hours.ParseEnd(until); err == nil && end.Some() {
			out = append(out, Ending{Ref{List: list, Name: name}, until, end})
		}
	}
	for i := range d.Queues {
		add("queues", d.Queues[i].Name, d.Queues[i].Until)
	}
	for i := range d.Grants {
		add("grants", d.Grants[i].Name, d.Grants[i].Until)
	}
	for _, n := range d.Notices {
		add("notices", n.Name, n.Until)
	}
	for _, p := range d.Promises {
		add("promises", p.Name, p.Until)
	}
	return out
}

// Ended says whether what holds until a day, by the clock of UTC, or a time is over.
func Ended(until string, now time.Time) bool {
	end, _ := hours.ParseEnd(until) // Parse has refused any other
	return end.Over(hours.At(now, time.UTC))
}

// until reads when an object ends.
func until(o document.Object) string {
	n, ok := o.Get("until")
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if !ok {
		return ""
	}
	if _, err := hours.ParseEnd(s); err != nil {
		what, fix, _ := strings.Cut(err.Error(), "; ")
		n.Complain(fix, "%s", what)
	}
	return s
}
