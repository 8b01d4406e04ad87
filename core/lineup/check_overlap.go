package lineup

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/estate"
)

// overlaps finds grants that add nothing beside another, everyone left beside a narrower grant, and ties of defaults.
func (c *checker) overlaps() {
	told := map[[2]int32]bool{}
	for q := range c.giving {
		list := c.giving[q]
		for _, a := range list {
			for _, b := range list {
				if a != b && !told[[2]int32{a, b}] {
					told[[2]int32{a, b}] = true
					c.overlap(c.e.grants[a].more, c.e.grants[b].more, a < b)
				}
			}
		}
	}
	c.ties()
}

// overlap remarks on a where b makes it needless; first says that a comes before b.
func (c *checker) overlap(a, b *more, first bool) {
	if !covers(b, a) || a.Default > b.Default && a.Default > 0 || a.Insist && !b.Insist {
		return
	}
	if covers(a, b) && a.Default == b.Default {
		if !first {
			c.add(warning, "grants", a.Name, "take one of the two out", "it is the same as %s under another name", b.Name)
		}
		return
	}
	if b.to != nil && b.to.everyone && a.to != nil && !a.to.everyone {
		c.add(warning, "grants", b.Name, fmt.Sprintf("limit it, or take %s out", a.Name), "it gives to everyone what the "+
			"narrower grant %s gives to %s", a.Name, strings.Join(a.To, ", "))
		return
	}
	c.add(remark, "grants", a.Name, "take it out, unless it is to stay when the other goes", "it adds nothing beside "+
		"%s, which gives the same and more", b.Name)
}

// covers says whether b gives everything that a gives, to everybody to whom a gives it.
func covers(b, a *more) bool {
	rank := map[estate.Effect]int{estate.Place: 2, estate.Offer: 1}
	if rank[b.Effect] < rank[a.Effect] || b.Nearest > 0 && (a.Nearest == 0 || a.Nearest > b.Nearest ||
		!slices.Equal(a.queues, b.queues)) || b.IfRemoved == estate.Leave && a.IfRemoved != estate.Leave {
		return false
	}
	for _, q := range a.queues {
		if _, ok := slices.BinarySearch(b.queues, q); !ok {
			return false
		}
	}
	wider := func(b, a []string) bool {
		return len(b) == 0 || len(a) > 0 && (slices.Contains(b, string(estate.Everyone)) || !slices.ContainsFunc(a,
			func(s string) bool { return !slices.Contains(b, s) }))
	}
	// The scope of a machine-wide grant is more than that of one for people.
	if len(a.To) == 0 && len(b.To) > 0 {
		return false
	}
	sameHours := len(b.Open) == 0 && b.Until == "" || fmt.Sprint(a.Open, a.Until) == fmt.Sprint(b.Open, b.Until)
	excepts := !slices.ContainsFunc(b.Except, func(s string) bool { return !slices.Contains(a.Except, s) })
	return wider(b.To, a.To) && wider(b.On, a.On) && wider(b.At, a.At) && wider(b.Sessions, a.Sessions) &&
		wider(b.Platforms, a.Platforms) && sameHours && excepts
}

// ties finds grants that set the same default for the same people, to different queues.
func (c *checker) ties() {
	by := map[string][]*more{}
	for i := range c.e.grants {
		if g := c.e.grants[i].more; g.Default > 0 && len(g.queues) > 0 {
			key := fmt.Sprint(g.Default, g.To, g.On, g.At, g.Sessions, g.Platforms, g.Open, g.Until)
			by[key] = append(by[key], g)
		}
	}
	for _, list := range by {
		for _, g := range list[1:] {
			if !slices.Equal(g.queues, list[0].queues) {
				c.add(remark, "grants.default", g.Name, "give one of the two a higher default",
					"its default of %d ties with that of %s "+
						"for the same people: the nearest, then the first by name, is taken", g.Default, list[0].Name)
			}
		}
	}
}
