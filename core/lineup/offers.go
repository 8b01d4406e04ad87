package lineup

import (
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
)

// Offers says whether some grant offers a queue to a person anywhere, now or later: only places, machines, sessions and
// hours may be other than now. It is what a pick stands on: one that nothing offers any more ends.
func Offers(w *World, person, called string, now time.Time) bool {
	of, f := personAt(w, person, called)
	return f != nil && len(offering(w, of, f, now)) > 0
}

// personAt gives a queue's number and the facts of a person alone; nil where the estate has no such queue.
func personAt(w *World, person, called string) (of int32, f *facts) {
	of, ok := w.Estate.queueByName[called]
	if !ok {
		return none, nil
	}
	f, err := w.facts(Context{User: person}, new(Scratch), false)
	if err != nil {
		return none, nil // no location was given, which alone can be wrong
	}
	return of, f
}

// Gives says whether some grant places or offers a queue to a person anywhere, now or later; whether something else
// keeps it from them is another matter.
func Gives(w *World, person, called string, now time.Time) bool {
	of, f := personAt(w, person, called)
	return f != nil && slices.ContainsFunc(w.Estate.selecting(of), func(i int32) bool {
		g := &w.Estate.grants[i]
		return g.does&withholds == 0 && meant(w, g.more, f) && !w.Estate.over(g.more, of, now)
	})
}

// meant says whether a grant is for the person of some facts, at some place and time.
func meant(w *World, m *more, f *facts) bool {
	return (m.to == nil || w.to(m.to, f)) && (m.except == nil || !w.to(m.except, f))
}

// offering gives the grants that offer a queue to the person of some facts at some place and time.
func offering(w *World, of int32, f *facts, now time.Time) (out []int32) {
	for _, i := range w.Estate.selecting(of) {
		g := &w.Estate.grants[i]
		if g.does&(withholds|places) == 0 && meant(w, g.more, f) && !w.Estate.over(g.more, of,
			now) {
			out = append(out, i)
		}
	}
	return out
}

// CheckPick gives a Conflict fault where a person cannot pick a queue: nothing offers it to them, it is withheld from
// them everywhere, its access does not permit them, or it is retired.
func CheckPick(w *World, person, called string, now time.Time) error {
	of, f := personAt(w, person, called)
	if f == nil {
		return fault.New(fault.Unknown, "queue-unknown", "see cirque queue list", "the estate has no queue %q", called)
	}
	q := &w.Estate.queues[of]
	no := func(fix, says string, args ...any) error {
		return fault.New(fault.Conflict, "not-offered", fix, "%s", fmt.Sprintf(says, args...))
	}
	if len(offering(w, of, f, now)) == 0 {
		var placing []string
		for _, i := range w.Estate.selecting(of) {
			if g := &w.Estate.grants[i]; g.does&places != 0 && !w.Estate.over(g.more, of, now) && (g.more.to == nil ||
				w.to(g.more.to, f)) {
				placing = append(placing, g.more.Name)
			}
		}
		if len(placing) > 0 {
			return no("there is nothing to pick: it is there wherever that grant holds",
				"%s is placed for %s by %s, not offered", q.Name, person, names(placing))
		}
		return no("let them ask for it: cirque request make "+q.Name+"; or write a grant that offers it",
			"no grant offers %s to %s", q.Name, person)
	}
	if q.Purpose == estate.Helper {
		return no("choose another queue", "%s is for programs alone", q.Name)
	}
	if w.Estate.gone(q, now) {
		return no("choose another queue", "%s is retired", q.Name)
	}
	var withholding []int32
	for _, i := range w.Estate.selecting(of) {
		if g := &w.Estate.grants[i]; g.does&withholds != 0 && !w.Estate.over(g.more, of, now) {
			withholding = append(withholding, i)
		}
	}
	if i := withheldBy(w, byWhoAlone(w, withholding), f); i != none {
		return no("see cirque person "+person, "%s is withheld from %s by %s", q.Name, person, w.Estate.grantNames[i])
	}
	if a := q.access; a != nil && (a.deny != nil && w.to(a.deny, f) ||
		a.allow != nil && onlyPeople(w, a.allow) && !w.any(a.allow, f)) {
		return no("have its access widened first", "the access of %s does not permit %s", q.Name, person)
	}
	return nil
}
