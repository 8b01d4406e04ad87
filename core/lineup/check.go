package lineup

import (
	"cmp"
	"fmt"
	"slices"

	"cirque/core/directory"
	"cirque/core/estate"
)

// A Finding is something that a careful reader of the estate would remark on. Findings never stop anything.
type Finding struct {
	Severity string `json:"severity" enum:"warning,note"`
	Object   string `json:"object" doc:"Such as grant booking-hall."`
	Says     string `json:"says"`
	Fix      string `json:"fix"`
}

// Check remarks on an estate, and on names in it that the directory does not know.
func Check(e *Estate, d *directory.Directory) []Finding {
	out := []Finding{}
	add := func(severity, object, fix, format string, args ...any) {
		out = append(out, Finding{severity, object, fmt.Sprintf(format, args...), fix})
	}
	sel := newSelection(e)
	given := make([]bool, len(e.queues))
	for i := range e.grants {
		g := e.grants[i].more
		for _, s := range g.Queues {
			if len(sel.one(s)) == 0 {
				add("warning", "grant "+g.Name, "mend the entry, or give a queue that label or location", "%s selects no queue", s)
			}
		}
		checkNames(g.Grant, d, add)
		for _, q := range g.queues {
			given[q] = given[q] || g.Effect != estate.Withhold
		}
	}
	for i := range e.queues {
		q := &e.queues[i]
		object := "queue " + q.Name
		switch {
		case q.Retired:
		case !given[i]:
			add("warning", object, "grant it, or retire it", "no grant gives it, so nobody receives it")
		case len(q.paths) == 0:
			add("warning", object, "give it a path through a device, a server or the gateway", "it has no path, so it is left out of every lineup")
		}
		if len(q.Devices) == 0 && slices.ContainsFunc(q.paths, func(w way) bool { return w.kind == wayGateway }) {
			add("warning", object, "name the devices behind it", "it has a path through the gateway and no device for the gateway to send to")
		}
	}
	first := map[string]string{}
	for _, s := range e.doc.Stations {
		for _, a := range s.Addresses {
			if other, taken := first[a.String()]; taken {
				add("warning", "station "+s.Name, "let one station have it", "its address %s is also that of %s, which counts", a, other)
			} else {
				first[a.String()] = s.Name
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Finding) int {
		return cmp.Or(-cmp.Compare(a.Severity, b.Severity), cmp.Compare(a.Object, b.Object))
	})
	return out
}

func checkNames(g *estate.Grant, d *directory.Directory, add func(severity, object, fix, format string, args ...any)) {
	for _, list := range [][]string{g.To, g.On, g.Except} {
		for _, s := range list {
			e, err := estate.ParseEntry(s)
			if err != nil {
				continue
			}
			known := true
			switch e.Kind {
			case estate.User:
				_, known = d.User(e.Name)
			case estate.Group:
				_, known = d.GroupID(e.Name)
			case estate.Unit:
				_, known = d.Unit(e.Name)
			}
			if !known {
				add("note", "grant "+g.Name, "mend the name, or wait until the directory has it", "the directory does not know %s", s)
			}
		}
	}
}
