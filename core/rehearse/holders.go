package rehearse

import (
	"cmp"
	"slices"
	"time"

	"cirque/core/lineup"
	"cirque/core/name"
)

// A Holder is a person or machine whose lineup has a queue.
type Holder struct {
	Kind     string   `json:"kind" enum:"user,machine"`
	Name     string   `json:"name"`
	Effect   string   `json:"effect" enum:"placed,picked,offered" doc:"The strongest that it has in any of its contexts."`
	Always   bool     `json:"always" doc:"In every context and at every time that was looked at; else in some."`
	Grants   []string `json:"grants"`
	Contexts int      `json:"contexts" doc:"In which it has the queue."`
}

// A Roll is who has a queue, and who has not.
type Roll struct {
	Holders   []Holder
	Looked    Count // everybody
	Permitted Count // who may print to it whatever grants say, by its access rules
}

// Holders finds who has a queue in a range of cases at any time from one moment to another: at the first, and at every
// edge of the hours that concern a case. Cases of one person must not be divided between ranges.
func Holders(w *lineup.World, cases []Case, queue string, begin, end time.Time, from, to int) Roll {
	var out Roll
	var s lineup.Scratch
	var hours []lineup.Hours
	last, permitted := "", ""
	var h *Holder
	looked := 0
	finish := func() {
		if h != nil {
			h.Always = h.Always && h.Contexts == looked
			slices.Sort(h.Grants)
			out.Holders = append(out.Holders, *h)
			h = nil
		}
		looked = 0
	}
	for i := from; i < to; i++ {
		c := cases[i]
		who := Key(c.Kind, c.Name)
		if who != last {
			finish()
			last = who
			out.Looked.add(c.Kind)
		}
		looked++
		out.Looked.Contexts++
		c.Context.Time = begin
		if ok, err := w.Permitted(c.Context, queue); err == nil && ok {
			out.Permitted.Contexts++
			if permitted != who {
				permitted = who
				out.Permitted.add(c.Kind)
			}
		}
		times := []time.Time{begin}
		hours, _ = w.Timed(c.Context, &s, hours[:0])
		for _, one := range hours {
			week, zone := w.Estate.Hours(one)
			for _, t := range week.Edges(begin, end, zone) {
				if t.Before(end) {
					times = append(times, t)
				}
			}
		}
		had := 0
		for _, t := range times {
			c.Context.Time = t
			l, err := w.Resolve(c.Context, &s)
			if err != nil {
				continue // a location that is gone
			}
			if e := find(l, queue, 0); e != nil {
				had++
				if h == nil {
					h = &Holder{Kind: c.Kind, Name: c.Name, Effect: e.Effect, Always: true, Grants: []string{}}
				}
				h.Effect = stronger(h.Effect, e.Effect)
				for _, g := range e.Grants {
					if !slices.Contains(h.Grants, g) {
						h.Grants = append(h.Grants, g)
					}
				}
			}
		}
		if had > 0 {
			h.Contexts++
			h.Always = h.Always && had == len(times)
		}
	}
	finish()
	return out
}

func stronger(a, b string) string {
	order := []string{lineup.Placed, lineup.Picked, lineup.Offered}
	if slices.Index(order, b) < slices.Index(order, a) {
		return b
	}
	return a
}

// AddRolls puts rolls together with what is there already, by kind and name. Counts are the largest of any one stretch
// of time.
func AddRolls(holders *[]Holder, looked, permitted *Count, rolls []Roll) {
	var l, p Count
	at := make(map[string]int, len(*holders))
	for i, h := range *holders {
		at[Key(h.Kind, h.Name)] = i
	}
	for _, r := range rolls {
		l.sum(r.Looked)
		p.sum(r.Permitted)
		for _, h := range r.Holders {
			i, known := at[Key(h.Kind, h.Name)]
			if !known {
				at[Key(h.Kind, h.Name)] = len(*holders)
				*holders = append(*holders, h)
				continue
			}
			o := &(*holders)[i]
			o.Effect, o.Always, o.Contexts = stronger(o.Effect, h.Effect), o.Always && h.Always, max(o.Contexts, h.Contexts)
			for _, g := range h.Grants {
				if !slices.Contains(o.Grants, g) {
					o.Grants = append(o.Grants, g)
				}
			}
		}
	}
	if l.Contexts > looked.Contexts {
		*looked = l
	}
	if p.Contexts > permitted.Contexts {
		*permitted = p
	}
	slices.SortFunc(*holders, func(a, b Holder) int {
		return cmp.Or(-cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name))
	})
}

// A Subject is a person or machine that has no queue at all.
type Subject struct {
	Kind string `json:"kind" enum:"user,machine"`
	Name string `json:"name"`
	Seen bool   `json:"seen" doc:"It was looked at as it was last seen; else no endpoint has reported it, and it was looked at without place and platform."`
}

// Bare finds who has no queue at all, in any context, in a range of cases; a machine, with nobody signed in. had are
// the folded machines at which some person of the range has a queue. Cases of one person must not be divided between
// ranges.
func Bare(w *lineup.World, cases []Case, now time.Time, from, to int) (out []Subject, had []string) {
	var s lineup.Scratch
	for i := from; i < to; {
		c := cases[i]
		bare, seen := true, false
		for ; i < to && cases[i].Kind == c.Kind && cases[i].Name == c.Name; i++ {
			context := cases[i].Context
			context.Time = now
			seen = seen || cases[i].Seen
			if l, err := w.Resolve(context, &s); err == nil && len(l.Entries) > 0 {
				bare = false
				if context.Machine != "" {
					had = append(had, name.Fold(context.Machine))
				}
			}
		}
		if bare {
			out = append(out, Subject{c.Kind, c.Name, seen})
		}
	}
	return out, had
}
