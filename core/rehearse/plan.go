package rehearse

import (
	"encoding/binary"
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
	"cirque/core/hours"
	"cirque/core/lineup"
)

// Week is how far ahead a rehearsal looks for edges of opening hours.
const Week = 7 * 24 * time.Hour

// A Plan is two worlds, the cases to compare them in, and which of these the difference can touch.
type Plan struct {
	Old, New *lineup.World
	Cases    []Case
	Now      time.Time
	Changes  []estate.Change

	names renames
	order []int32 // the cases to look at; nil: all
	touch *Touch
}

// NewPlan compares the worlds' estates and live states, and leaves out the cases that no difference can touch. all
// looks at every case in spite of that. now is the present for every case.
func NewPlan(from, to *lineup.World, cases *Cases, now time.Time, all bool) *Plan {
	p := &Plan{Old: from, New: to, Cases: cases.List, Now: now, touch: NewTouch(from, to)}
	p.Changes = p.touch.Changes
	p.names = newRenames(from.Estate.Document(), to.Estate.Document())
	if all {
		p.touch.all = true
	}
	users := map[string]bool{}
	if !p.touch.Users(func(folded string) { users[folded] = true }) {
		return p
	}
	p.order = []int32{}
	for u := range users {
		p.order = append(p.order, cases.byUser[u]...)
	}
	slices.Sort(p.order)
	return p
}

// Len is how many cases are to be looked at; ranges of Run go from 0 to it.
func (p *Plan) Len() int {
	if p.order != nil {
		return len(p.order)
	}
	return len(p.Cases)
}

// A Scratch is what one goroutine needs to Run. The zero Scratch works, for one plan.
type Scratch struct {
	a, b  lineup.Scratch
	times map[string][][]time.Time
	key   []byte
	now   [1]time.Time
	only  [1][]time.Time
}

// Run compares the worlds in a range of the plan's cases, now and at every edge of grants' hours in the coming week.
func (p *Plan) Run(from, to int, s *Scratch) *Part {
	out := &Part{}
	for i := from; i < to; i++ {
		at := int32(i)
		if p.order != nil {
			at = p.order[i]
		}
		p.look(at, s, out)
	}
	return out
}

func (p *Plan) look(at int32, s *Scratch, out *Part) {
	c := p.Cases[at].Context
	c.Time = p.Now
	if !p.touch.Context(c, &s.a, &s.b) {
		return
	}
	out.Looked++
	e := Effect{Case: at}
	// The only error is a given location that one of the estates does not know: then nothing is had there.
	before, _ := p.Old.Ask(c, &s.a)
	after, _ := p.New.Ask(c, &s.b)
	a, hoursA := before.AtWithHours(p.Now)
	b, hoursB := after.AtWithHours(p.Now)
	total := 0
	kept := func(en *lineup.Entry) string { return lineup.WhyKept(p.New, en) }
	for i, times := range p.times(hoursA, hoursB, s) {
		total += len(times)
		if i > 0 { // the present is the first of the first
			a, b = before.At(times[0]), after.At(times[0])
		}
		for _, t := range times {
			if !t.Equal(p.Now) {
				out.note(t)
			}
		}
		compare(a, b, p.names, kept, times, &e)
	}
	for i := range e.Items {
		if item := &e.Items[i]; len(item.Times) == total {
			item.Times = nil // at all of them
		} else {
			slices.SortFunc(item.Times, time.Time.Compare)
		}
	}
	if len(e.Items) > 0 {
		if b.Context.Location != nil {
			e.Location = strings.Clone(*b.Context.Location)
		}
		out.Effects = append(out.Effects, e)
	}
}

// times gives the times at which to look at a case: the present, and every edge in the coming week of the hours on
// which its lineups depend. Times at which the same hours are open come together, the present first: at all of them the
// lineups are the same.
func (p *Plan) times(before, after []lineup.Hours, s *Scratch) [][]time.Time {
	if len(before)+len(after) == 0 {
		s.now[0] = p.Now
		s.only[0] = s.now[:]
		return s.only[:]
	}
	s.key = s.key[:0]
	for _, list := range [2][]lineup.Hours{before, after} {
		s.key = binary.AppendUvarint(s.key, uint64(len(list)))
		for _, h := range list {
			s.key = h.Append(s.key)
		}
	}
	known, ok := s.times[string(s.key)]
	if ok {
		return known
	}
	type clock struct {
		week hours.Schedule
		zone *time.Location
	}
	var clocks []clock
	for _, h := range before {
		w, z := p.Old.Estate.Hours(h)
		clocks = append(clocks, clock{w, z})
	}
	for _, h := range after {
		w, z := p.New.Estate.Hours(h)
		clocks = append(clocks, clock{w, z})
	}
	all := []time.Time{p.Now}
	for _, k := range clocks {
		all = append(all, k.week.Edges(p.Now, p.Now.Add(Week), k.zone)...)
	}
	slices.SortFunc(all, time.Time.Compare)
	at := map[string]int{}
	for _, t := range slices.CompactFunc(all, time.Time.Equal) {
		open := make([]byte, len(clocks))
		for i, k := range clocks {
			if k.week.Open(hours.At(t, k.zone)) {
				open[i] = 1
			}
		}
		i, ok := at[string(open)]
		if !ok {
			i = len(known)
			at[string(open)] = i
			known = append(known, nil)
		}
		known[i] = append(known[i], t)
	}
	if s.times == nil {
		s.times = map[string][][]time.Time{}
	}
	s.times[string(s.key)] = known
	return known
}
