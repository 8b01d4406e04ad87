package endpoint

import (
	"slices"

	"cirque/core/name"
)

// A Mark is how one queue of an endpoint stands by its last report: one that it is to have, or one that the agent
// installed and that must not be there. It is a ProofRow without its words, small enough to be kept of every endpoint.
type Mark struct {
	Queue string
	User  string // whose it is, as it is wanted or installed; empty for everybody
	state uint8  // as stateCodes has it: a large fleet has millions of marks
}

// stateCodes are the standings of marks. Unheard is none: whether an endpoint is silent changes with the clock.
var stateCodes = [...]Standing{Arrived, Awaited, NotDone, StaysOff, Surplus}

// NewMark makes one; the state is none but Arrived, Awaited, NotDone, StaysOff and Surplus.
func NewMark(queue, user string, state Standing) Mark {
	m := Mark{Queue: queue, User: user}
	m.set(state)
	return m
}

func (m *Mark) set(s Standing) { m.state = uint8(slices.Index(stateCodes[:], s)) }

// State is how it stands.
func (m Mark) State() Standing { return stateCodes[m.state] }

// Kind is "has" for what the endpoint is to have, "loses" for what must not be there.
func (m Mark) Kind() string {
	if m.State() == Surplus {
		return "loses"
	}
	return "has"
}

// Marks gives those of all queues of an endpoint: what it is to have in the plan's order, then what must not be there
// in the report's. They say the same as Prove of Has and Beyond, for all queues at once.
func Marks(now Plan, r Report) []Mark {
	own := make(map[Key]*Installed, len(r.Installed))
	for i := range r.Installed {
		if k := r.Installed[i].Key(); r.Installed[i].Own && own[k] == nil {
			own[k] = &r.Installed[i]
		}
	}
	var failed, away map[Key]bool
	if len(r.Failures) > 0 {
		failed = make(map[Key]bool, len(r.Failures))
		for _, f := range r.Failures {
			failed[Key{name.Fold(f.User), f.Queue}] = true
		}
	}
	if len(r.Removed) > 0 {
		away = make(map[Key]bool, len(r.Removed))
		for _, k := range r.Removed {
			away[Key{name.Fold(k.User), k.Queue}] = true
		}
	}
	out := make([]Mark, 0, len(now.Wants))
	wanted := make(map[Key]bool, len(now.Wants))
	for _, w := range now.Wants {
		k := w.Key()
		wanted[k] = true
		m := NewMark(w.Queue, w.User, Arrived)
		waits := Awaited
		if failed[k] {
			waits = NotDone
		}
		i := own[k]
		switch {
		case i == nil && !w.Restore && away[k]:
			m.set(StaysOff)
		case i == nil:
			m.set(waits)
		case differs(w, i.Want):
			m.set(waits)
		case i.Halted:
			m.set(NotDone)
		}
		out = append(out, m)
	}
	for i := range r.Installed {
		if v := &r.Installed[i]; v.Own && !wanted[v.Key()] {
			out = append(out, NewMark(v.Queue, v.User, Surplus))
		}
	}
	return out
}

func differs(w, i Want) bool {
	what, _, _ := Differs(w, i)
	return what != ""
}

// Stand says how far an expectation has come on an endpoint whose marks are given: what Prove says, but for the words.
// user is whose it is, as it is wanted.
func (e Expectation) Stand(marks []Mark, r *Report, silent bool) (user string, state Standing) {
	user, state = e.stand(marks, r)
	return user, Late(state, silent)
}

func (e Expectation) stand(marks []Mark, r *Report) (user string, state Standing) {
	var has, loses *Mark
	for i := range marks {
		if m := &marks[i]; m.Queue == e.Queue && name.Fold(m.User) == e.User {
			if m.Kind() == "has" {
				has = m
			} else {
				loses = m
			}
		}
	}
	switch {
	case e.Kind == "loses" && has != nil:
		return has.User, Overrun
	case e.Kind == "loses" && loses == nil:
		return e.User, Arrived
	case e.Kind == "loses":
		for _, f := range r.Failures {
			if f.Queue == e.Queue && name.Fold(f.User) == e.User {
				return e.User, NotDone
			}
		}
		return e.User, Awaited
	case has == nil:
		return e.User, Overrun
	}
	return has.User, has.State()
}

// Late is how something stands that is awaited from an endpoint that may be silent.
func Late(s Standing, silent bool) Standing {
	if s == Awaited && silent {
		return Unheard
	}
	return s
}

// Rows gives the rows of one queue without their words.
func Rows(machine, queue string, marks []Mark, silent bool) []ProofRow {
	var out []ProofRow
	for _, m := range marks {
		if m.Queue == queue {
			out = append(out, ProofRow{Machine: machine, User: m.User, Queue: queue, Kind: m.Kind(),
				State: Late(m.State(), silent)})
		}
	}
	return out
}
