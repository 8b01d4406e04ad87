package fleet

import (
	"slices"
	"time"

	"cirque/core/endpoint"
)

// A row is a list of entries by when they were heard of, the longest ago first. Nearly always the latest is heard of
// last, so that finding its place costs nothing.
type row struct {
	first, last *entry
	unsorted    bool // it is being filled in any order
}

func (r *row) insert(e *entry) {
	at := r.last
	for !r.unsorted && at != nil && at.j.LastSeen().After(e.j.LastSeen()) {
		at = at.before
	}
	e.before = at
	if at == nil {
		e.after, r.first = r.first, e
	} else {
		e.after, at.after = at.after, e
	}
	if e.after == nil {
		r.last = e
	} else {
		e.after.before = e
	}
}

// sort puts in order what was filled in any.
func (r *row) sort() {
	var all []*entry
	for e := r.first; e != nil; e = e.after {
		all = append(all, e)
	}
	slices.SortFunc(all, func(a, b *entry) int { return a.j.LastSeen().Compare(b.j.LastSeen()) })
	*r = row{}
	for _, e := range all {
		r.insert(e)
	}
}

func (r *row) take(e *entry) {
	if e.before == nil {
		r.first = e.after
	} else {
		e.before.after = e.after
	}
	if e.after == nil {
		r.last = e.before
	} else {
		e.after.before = e.before
	}
	e.before, e.after = nil, nil
}

// Fill lets load put in many endpoints at once, in any order.
func (f *Fleet) Fill(load func() error) error {
	f.loud.unsorted = true
	err := load()
	f.loud.sort()
	slices.SortFunc(f.order, byName)
	return err
}

// refile files an entry anew among those that are not silent, in its state.
func (f *Fleet) refile(e *entry, was *Judgement) {
	switch {
	case was == nil:
	case was.LastSeen().Equal(e.j.LastSeen()): // judged anew: it stays where it is
		if !e.quiet {
			f.states[was.State]--
			f.states[e.j.State]++
		}
		return
	case e.quiet:
		f.silent.take(e)
	default:
		f.loud.take(e)
		f.states[was.State]--
	}
	e.quiet = false
	f.loud.insert(e)
	f.states[e.j.State]++
}

// SilentAfter sets for how long nothing may be heard of an endpoint before it counts as silent.
func (f *Fleet) SilentAfter(d time.Duration) {
	if d == f.silentAfter {
		return
	}
	f.silentAfter = d
	f.loud.unsorted = true // those that were silent belong before all others
	for e := f.silent.first; e != nil; e = f.silent.first {
		f.silent.take(e)
		e.quiet = false
		f.loud.insert(e)
		f.states[e.j.State]++
	}
	f.loud.sort()
}

// Tick moves those of which nothing was heard for too long to the silent ones. It is to be called before states are
// asked for; it costs something only for those that it moves.
func (f *Fleet) Tick(now time.Time) {
	for e := f.loud.first; e != nil && now.Sub(e.j.LastSeen()) > f.silentAfter; e = f.loud.first {
		f.loud.take(e)
		f.states[e.j.State]--
		e.quiet = true
		f.silent.insert(e)
	}
}

// Due says whether Tick would move anything.
func (f *Fleet) Due(now time.Time) bool {
	return f.loud.first != nil && now.Sub(f.loud.first.j.LastSeen()) > f.silentAfter
}

// States counts the endpoints by state; states that none has are left out.
func (f *Fleet) States() map[endpoint.State]int {
	out := map[endpoint.State]int{}
	for s, n := range f.states {
		if n > 0 {
			out[s] = n
		}
	}
	if n := len(f.order) - f.reporting(); n > 0 {
		out[endpoint.Silent] = n
	}
	return out
}

func (f *Fleet) reporting() (n int) {
	for _, k := range f.states {
		n += k
	}
	return n
}

// Silent gives the endpoints of which nothing was heard for too long, by name.
func (f *Fleet) Silent() []*Judgement {
	return judgements(f.quiet())
}

func (f *Fleet) quiet() (out []*entry) {
	for e := f.silent.first; e != nil; e = e.after {
		out = append(out, e)
	}
	slices.SortFunc(out, byName)
	return out
}

// Now gives how an endpoint stands at a time.
func (f *Fleet) Now(j *Judgement, now time.Time) endpoint.State {
	if now.Sub(j.LastSeen()) > f.silentAfter {
		return endpoint.Silent
	}
	return j.State
}
