package lineup

import (
	"slices"
	"time"

	"cirque/core/directory"
)

// A GivenState says whether anybody gets a queue.
type GivenState string

// The states.
const (
	IsGiven   GivenState = "given"
	ToNobody  GivenState = "nobody"
	IsRetired GivenState = "retired"
)

// A Given says whether anybody gets a queue, by estate and directory alone: places, hours and kinds of sessions may
// still keep it from people. It is what every surface goes by.
type Given struct {
	State      GivenState `json:"state" enum:"given,nobody,retired"`
	By         []string   `json:"by" doc:"The grants that give it."`
	WithheldBy []string   `json:"withheld_by" doc:"The grants that keep it away from somebody."`
	Says       string     `json:"says" doc:"As a sentence without its full stop, such as: no grant gives it, so nobody receives it."`
	Fix        string     `json:"fix,omitempty" doc:"What to do where nobody gets it."`
}

// Givens tells of every queue of the estate whether anybody gets it at a time or later, in the order of the document;
// at the zero time nothing has ended.
func Givens(w *World, now time.Time) []Given {
	g := giving{w: w, now: now, somebody: map[*cond]bool{}, machines: map[*cond]bool{}}
	by := make([][]int32, len(w.Estate.queues))
	for i := range w.Estate.grants {
		for _, q := range w.Estate.grants[i].more.queues {
			by[q] = append(by[q], int32(i))
		}
	}
	out := make([]Given, len(by))
	for q := range out {
		out[q] = g.of(int32(q), by[q])
	}
	return out
}

// GivenOf is Givens of one queue, by its name or an old one; ok is false where there is none such.
func GivenOf(w *World, called string, now time.Time) (out Given, ok bool) {
	q, ok := w.Estate.queueByName[called]
	if !ok {
		return out, false
	}
	g := giving{w: w, now: now, somebody: map[*cond]bool{}, machines: map[*cond]bool{}}
	return g.of(q, w.Estate.selecting(q)), true
}

// giving works out who gets queues; conditions that grants share are looked at once.
type giving struct {
	w        *World
	now      time.Time
	s        Scratch
	somebody map[*cond]bool
	machines map[*cond]bool
}

func (g *giving) of(of int32, selecting []int32) Given {
	e := g.w.Estate
	q := &e.queues[of]
	out := Given{State: ToNobody, By: []string{}, WithheldBy: []string{}}
	var givers, withholders []int32
	ended := 0
	for _, i := range selecting {
		if e.over(e.grants[i].more, of, g.now) {
			ended++
			continue
		}
		if e.grants[i].does&withholds != 0 {
			withholders = append(withholders, i)
			out.WithheldBy = append(out.WithheldBy, e.grantNames[i])
		} else {
			givers = append(givers, i)
			out.By = append(out.By, e.grantNames[i])
		}
	}
	reaching := givers[:0:0]
	for _, i := range givers {
		if g.reaches(e.grants[i].more) {
			reaching = append(reaching, i)
		}
	}
	switch {
	case q.retired:
		out.State, out.Says = IsRetired, "it is retired, so it is left out of every lineup"
	case e.gone(q, g.now):
		out.State, out.Says = IsRetired, "it is retired since its end, "+q.Until+", so it is left out of every lineup"
	case len(givers) == 0 && ended > 0:
		out.Says, out.Fix = "the grants that gave it have ended, so nobody receives it", "grant it, or retire it"
	case len(givers) == 0 && len(withholders) > 0:
		out.Says, out.Fix = "no grant gives it, "+names(out.WithheldBy)+" only keeps it away, so nobody receives it",
			"grant it, or retire it"
	case len(givers) == 0:
		out.Says, out.Fix = "no grant gives it, so nobody receives it", "grant it, or retire it"
	case len(reaching) == 0:
		out.Says, out.Fix = "the grants that give it reach nobody, so nobody receives it",
			"grant it to somebody, or retire it"
	case q.paths == 0:
		out.Says, out.Fix = "it has no path, so it is left out of every lineup",
			"give it a path through a device, a server, a set or the gateway"
	default:
		if why, fix := g.kept(q, reaching, withholders, out); why != "" {
			out.Says, out.Fix = why, fix
			return out
		}
		out.State, out.Says = IsGiven, "given by "+names(out.By)
		if len(withholders) > 0 {
			out.Says += ", and kept away from some by " + names(out.WithheldBy)
		}
	}
	return out
}

// reaches says whether a grant can hold for anybody: a name that the directory does not know is somebody, an empty
// group is nobody.
func (g *giving) reaches(m *more) bool {
	if m.to != nil && !m.to.everyone {
		some, known := g.somebody[m.to]
		if !known {
			some = !g.w.eachIn(m.to, func(string) { some = true }) || some
			g.somebody[m.to] = some
		}
		if !some {
			return false
		}
	}
	if m.on == nil {
		return true
	}
	some, known := g.machines[m.on]
	if !known {
		some = anyMachine(g.w, m.on)
		g.machines[m.on] = some
	}
	return some
}

// anyMachine says whether a list of entries names any machine at all.
func anyMachine(w *World, on *cond) bool {
	some := len(on.machines)+len(on.hosts) > 0
	for _, r := range on.groups {
		if id, ok := w.Directory.GroupID(w.Estate.refs.groups[r].written); ok && !some {
			_, machines := w.Directory.Size(id)
			some = machines > 0
		}
	}
	for _, r := range on.units {
		if id, ok := w.Directory.Unit(w.Estate.refs.units[r].written); ok && !some {
			w.Directory.EachMachineUnder(id, func(directory.MemberID) { some = true })
		}
	}
	return some
}

// kept says why a queue that is given to somebody reaches none of them all the same: it is withheld from all of them,
// or its access permits none. "" where somebody may have it, as far as that follows from people alone.
func (g *giving) kept(q *queue, givers, withholders []int32, out Given) (says, fix string) {
	e := g.w.Estate
	always := byWhoAlone(g.w, withholders)
	wide := func(i int32) bool { return e.grants[i].more.to == nil } // it also holds with nobody signed in
	for _, i := range always {
		if m := e.grants[i].more; m.except == nil && (m.to == nil || m.to.everyone && !slices.ContainsFunc(givers, wide)) {
			return "it is withheld by " + e.grantNames[i] + " from everybody, so nobody receives it",
				"limit " + e.grantNames[i] + ", or retire the queue"
		}
	}
	// More of a context than its person can only add to what a deny holds, but also to what an allow does.
	limits := q.access != nil && onlyPeople(g.w, q.access.allow)
	if len(always) == 0 && !limits {
		return "", ""
	}
	refused, withheld, reached := 0, 0, false
	look := func(folded string) {
		if reached {
			return
		}
		f, err := g.w.facts(Context{User: folded}, &g.s, false)
		if err != nil {
			return
		}
		switch {
		case withheldBy(g.w, always, f) != none:
			withheld++
		case limits && !g.w.permitted(q, f):
			refused++
		default:
			reached = true
		}
	}
	for _, i := range givers {
		m := e.grants[i].more
		if m.to != nil && g.w.eachIn(m.to, look) {
			continue
		}
		// Given to everybody, or to machines whoever sits there. Only where access names people can it be nobody.
		if !limits || q.access.allow == nil || !g.w.eachIn(q.access.allow, look) {
			return "", ""
		}
	}
	switch {
	case reached:
		return "", ""
	case refused == 0 && withheld > 0:
		return "it is withheld by " + names(out.WithheldBy) + " from all to whom " + names(out.By) +
			" gives it, so nobody receives it", "narrow what withholds it, or retire the queue"
	}
	return "its access permits none of those to whom " + names(out.By) + " gives it, so nobody receives it",
		"widen its access, or retire the queue"
}

// byWhoAlone gives those of some grants whose conditions are of people alone: they hold for somebody everywhere or
// nowhere.
func byWhoAlone(w *World, grants []int32) (out []int32) {
	for _, i := range grants {
		m := w.Estate.grants[i].more
		if m.on == nil && m.at == nil && m.open.Always() && len(m.Sessions)+len(m.Platforms) == 0 && onlyPeople(w, m.except) {
			out = append(out, i)
		}
	}
	return out
}

// withheldBy gives the first of some grants by who alone that holds for a person, or none.
func withheldBy(w *World, always []int32, f *facts) int32 {
	for _, i := range always {
		m := w.Estate.grants[i].more
		if (m.to == nil || w.to(m.to, f)) && (m.except == nil || !w.any(m.except, f)) {
			return i
		}
	}
	return none
}
