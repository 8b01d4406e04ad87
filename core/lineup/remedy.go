package lineup

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/hours"
)

// hours explains opening hours by the clock of a queue's site.
func (x explainer) hours(written []estate.Window, w hours.Week, q int32) Condition {
	zone := x.w.Estate.tree.zones[x.w.Estate.queues[q].zone]
	now := hours.At(x.f.Time, zone)
	c := Condition{Kind: "open", Wanted: []string{}, Held: []string{}, Holds: w.Open(now),
		Found: x.f.Time.In(zone).Format("Mon 15:04") + ", by the clock of " + zone.String()}
	for i, one := range written {
		text := windowText(one)
		c.Wanted = append(c.Wanted, text)
		if w[i : i+1].Open(now) {
			c.Held = append(c.Held, text)
		}
	}
	return c
}

// until explains an end by the clock of a queue's site.
func (x explainer) until(g *more, q int32) Condition {
	zone := x.w.Estate.tree.zones[x.w.Estate.queues[q].zone]
	return listed("until", []string{g.Until}, x.f.Time.In(zone).Format("Mon 2 January 2006 15:04")+", by the clock of "+
		zone.String(), !g.open.End.Over(hours.At(x.f.Time, zone)))
}

// windowText writes a window for people, such as "mon, tue 06:30-19:00".
func windowText(w estate.Window) string {
	days := "every day"
	if len(w.Days) > 0 {
		days = strings.Join(w.Days, ", ")
	}
	return fmt.Sprintf("%s %s-%s", days, w.From, w.To)
}

// opens says when a grant's hours next begin for a queue.
func (x explainer) opens(g *more, q int32) string {
	zone := x.w.Estate.tree.zones[x.w.Estate.queues[q].zone]
	edge, ok := g.open.Week.NextEdge(x.f.Time, zone)
	if !ok {
		return ""
	}
	return edge.In(zone).Format("Mon 2 January 15:04")
}

// counts takes over which grants count, and says what became of each.
func (x explainer) counts(s *Scratch, q int32, out *Why) {
	e := x.w.Estate
	counting := map[string]bool{}
	for i := range s.seen {
		c := &s.seen[i]
		if c.queue != q {
			continue
		}
		for p := c.first; p != none; p = s.pairs[p].next {
			if g := &s.pairs[p]; g.does&withholds == 0 && !g.passed {
				counting[e.grants[g.grant].more.Name] = true
			}
		}
	}
	for i := range out.Grants {
		g := &out.Grants[i]
		g.Counts = counting[g.Grant]
		switch {
		case !g.Matches:
			var failed []string
			for _, c := range g.Conditions {
				if !c.Holds {
					failed = append(failed, c.Kind)
				}
			}
			g.Says = "does not match: " + strings.Join(failed, ", ")
		case g.Effect == estate.Withhold:
			g.Says = "matches, and keeps the queue away"
		case g.Counts:
			g.Says = "matches and counts"
		default:
			g.Says = fmt.Sprintf("matches, but gives only its %d nearest: %s", g.Nearest, x.given(s, g.Grant))
		}
	}
}

// given names the queues that a grant with nearest gives here, nearest first, with their distances.
func (x explainer) given(s *Scratch, called string) string {
	e := x.w.Estate
	var list []int32
	for _, n := range s.near {
		for i := n.from; i < n.to && e.grants[n.grant].more.Name == called; i++ {
			if !s.pairs[i].passed {
				list = append(list, s.pairs[i].of)
			}
		}
	}
	slices.SortFunc(list, func(a, b int32) int { return int(s.seen[a].distance - s.seen[b].distance) })
	var out []string
	for _, at := range list {
		c := &s.seen[at]
		out = append(out, fmt.Sprintf("%s (%d away)", e.queues[c.queue].Name, c.distance))
	}
	if len(out) == 0 {
		return "none of its queues has a distance from here"
	}
	return strings.Join(out, ", ")
}

// widen says how far a grant's nearest must go to reach a queue: the least of those that passed it over.
func (x explainer) widen(s *Scratch, q int32) (called string, nearest int) {
	e := x.w.Estate
	best := far
	for _, n := range s.near {
		place, mine := 1, int32(none)
		for i := n.from; i < n.to; i++ {
			if s.seen[s.pairs[i].of].queue == q {
				mine = s.pairs[i].of
			}
		}
		if mine == none {
			continue
		}
		m := &s.seen[mine]
		for i := n.from; i < n.to; i++ {
			c := &s.seen[s.pairs[i].of]
			if c.queue == q || c.distance == far || c.reason != "" && c.reason != NotNearest {
				continue
			}
			if c.choice.stranded != m.choice.stranded {
				if m.choice.stranded {
					place++
				}
			} else if c.distance < m.distance || c.distance == m.distance && c.queue < m.queue {
				place++
			}
		}
		if place < best {
			best, called = place, e.grants[n.grant].more.Name
		}
	}
	return called, best
}

// self writes the context's person, machine or place as an entry.
func (x explainer) self() string {
	switch {
	case x.f.User != "":
		return "user:" + x.f.User
	case x.f.Machine != "":
		return "machine:" + x.f.Machine
	}
	a := x.f.Addresses[0]
	return fmt.Sprintf("range:%s-%s", a, a)
}
