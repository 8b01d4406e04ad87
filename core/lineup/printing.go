package lineup

import (
	"slices"
	"time"

	"cirque/core/estate"
)

// allowance and charge are those of the document, with their conditions compiled.
type allowance struct {
	*estate.Allowance
	to     *cond
	queues []int32 // ascending
}

type charge struct {
	*estate.Charge
	to *cond
}

// compileJobs compiles whom allowances and charges are for.
func (c *compiler) compileJobs() {
	e := c.e
	if len(e.doc.Allowances) > 0 {
		sel := newSelection(e)
		for i := range e.doc.Allowances {
			a := &e.doc.Allowances[i]
			e.allowances = append(e.allowances, allowance{a, c.cond(a.To), sel.all(a.Queues)})
		}
	}
	for i := range e.doc.Charges {
		e.charges = append(e.charges, charge{&e.doc.Charges[i], c.cond(e.doc.Charges[i].To)})
	}
}

// Allowances gives those that a context's jobs to a queue count for, by name; none for nobody. The error is Resolve's.
func Allowances(w *World, c Context, queue string) ([]estate.Allowance, error) {
	q, ok := w.Estate.queueByName[queue]
	if !ok || len(w.Estate.allowances) == 0 || c.User == "" {
		return nil, nil
	}
	f, err := w.facts(c, new(Scratch), false)
	if err != nil {
		return nil, err
	}
	var out []estate.Allowance
	for _, a := range w.Estate.allowances {
		if _, selected := slices.BinarySearch(a.queues, q); selected && (a.to == nil || w.to(a.to, f)) {
			out = append(out, *a.Allowance)
		}
	}
	return out, nil
}

// Charges gives what a context may charge jobs to, by name. The error is Resolve's.
func Charges(w *World, c Context) ([]estate.Charge, error) {
	if len(w.Estate.charges) == 0 {
		return nil, nil
	}
	f, err := w.facts(c, new(Scratch), false)
	if err != nil {
		return nil, err
	}
	var out []estate.Charge
	for _, x := range w.Estate.charges {
		if x.to == nil || w.to(x.to, f) {
			out = append(out, *x.Charge)
		}
	}
	return out, nil
}

// Zone is the clock of a queue's site; UTC where it has none.
func (e *Estate) Zone(queue string) *time.Location {
	if i, ok := e.queueByName[queue]; ok {
		return e.tree.zones[e.queues[i].zone]
	}
	return time.UTC
}
