package lineup

import (
	"fmt"

	"cirque/core/directory"
)

// access compares who may print with to whom it is granted. Only people can be judged without a context.
func (c *checker) access() {
	for i := range c.e.queues {
		q := &c.e.queues[i]
		if q.access == nil || !onlyPeople(c.w, q.access.allow) || !onlyPeople(c.w, q.access.deny) {
			continue
		}
		may := func(id directory.MemberID) bool {
			f, err := c.w.facts(Context{User: c.d.UserName(id)}, &c.s, false)
			return err == nil && c.w.permitted(q, f)
		}
		granted, limited := map[directory.MemberID]bool{}, true
		for _, g := range c.giving[i] {
			limited = limited && c.people[g] != nil
			refused := 0
			for id := range c.people[g] {
				granted[id] = true
				if !may(id) {
					refused++
				}
			}
			switch n := len(c.people[g]); {
			case n > 0 && refused == n:
				c.add(warning, "grants", c.e.grants[g].more.Name, "widen the queue's access, or take the queue out of the grant",
					"it gives %s to people none of whom may print to it", q.Name)
			case refused > 0:
				c.add(remark, "grants", c.e.grants[g].more.Name, "widen the queue's access, or narrow the grant",
					"%d of its %d people may not print to %s", refused, n, q.Name)
			}
		}
		if !limited || q.access.allow == nil {
			continue
		}
		without := 0
		met := map[directory.MemberID]bool{}
		named := c.w.eachIn(q.access.allow, func(folded string) {
			if id := c.d.UserID(folded); c.d.Listed(id) && !met[id] {
				met[id] = true
				if !granted[id] && may(id) {
					without++
				}
			}
		})
		if !named {
			continue // everyone may
		}
		if without > 0 {
			c.add(remark, "queues.access", q.Name, "grant it to them too, or take them out of the queue's access",
				"%s may print to it, and no grant gives it to them", people(without))
		}
	}
}

func people(n int) string { return counted(n, "person", "people") }

func machines(n int) string { return counted(n, "machine", "machines") }

func counted(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// onlyPeople says whether no entry of a list can hold by a machine or a place.
func onlyPeople(w *World, c *cond) bool {
	return c == nil || len(c.locs)+len(c.prefixes)+len(c.ranges) == 0 && !anyMachine(w, c)
}
