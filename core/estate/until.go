package estate

import (
	"strings"

	"cirque/core/document"
	"cirque/core/hours"
)

// An Ending is an object that ends by date.
type Ending struct {
	Ref
	Until string
	End   hours.End
	Zone  string // by whose clock a day ends: the site's of a queue, "" for UTC
}

// Endings are the objects that end by date, in the order of their lists. A grant ends by the clock of each queue's
// site: its zone is "" here.
func (d *Document) Endings() []Ending {
	var out []Ending
	add := func(list, name, until, zone string) {
		if end, err := hours.ParseEnd(until); err == nil && end.Some() {
			out = append(out, Ending{Ref{List: list, Name: name}, until, end, zone})
		}
	}
	zones := map[string]string{}
	for _, l := range d.Locations {
		if l.Timezone != "" {
			zones[l.Path] = l.Timezone
		}
	}
	for i := range d.Queues {
		add("queues", d.Queues[i].Name, d.Queues[i].Until, zones[Site(d.Queues[i].Location)])
	}
	for i := range d.Grants {
		add("grants", d.Grants[i].Name, d.Grants[i].Until, "")
	}
	for _, n := range d.Notices {
		add("notices", n.Name, n.Until, "")
	}
	for _, p := range d.Promises {
		add("promises", p.Name, p.Until, "")
	}
	return out
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
