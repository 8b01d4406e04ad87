package lineup

import (
	"cmp"
	"net/netip"
	"slices"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/name"
)

// An Overlap is two grants that speak of the same queues and can hold for somebody at the same time.
type Overlap struct {
	A        string   `json:"a"`
	B        string   `json:"b"`
	Queues   []string `json:"queues" doc:"Those that both select."`
	Everyone bool     `json:"everyone" doc:"Neither is limited by people."`
	People   int      `json:"people" doc:"People of the directory for whom both can hold; all of them where neither is limited by people."`
	Names    []string `json:"names" doc:"The first few of them."`
	Outcome  string   `json:"outcome" enum:"placed,offered,withheld" doc:"What the two come to where both hold."`
	Decides  string   `json:"decides,omitempty" doc:"The grant that decides it, where they have different effects."`
	Default  string   `json:"default,omitempty" doc:"The grant with the higher default, where both have one."`
	Tie      bool     `json:"default_tie,omitempty" doc:"Both have the same default: the nearest queue, then the first by name, is taken."`
}

// mostPairs bounds how many pairs of grants are compared for one answer.
const mostPairs = 20_000

// overlapNames is how many people an overlap names.
const overlapNames = 5

// Overlaps finds pairs of grants that can hold for one person at one place and time, as far as conditions tell: hours,
// and machines that are named by group or unit, are taken to be possible; an address to be where the estate's subnets
// say, and to be the only one of its family. person, a name, and place, a location's path,
// leave only those that concern them; empty ones leave all. A place that the estate does not have is an Invalid fault;
// where there are so many pairs that they are not compared to the end, the fault says so.
func Overlaps(w *World, person, place string) ([]Overlap, error) {
	o := overlapper{w: w, people: map[int32][]directory.MemberID{}}
	chosen := make([]bool, len(w.Estate.grants))
	var f *facts
	if person != "" {
		f, _ = w.facts(Context{User: person}, new(Scratch), false)
	}
	loc, placed := w.Estate.tree.byPath[place]
	if place != "" && !placed {
		return nil, fault.New(fault.Invalid, "location-unknown", nearest(place, w.Estate.tree.paths()),
			"the estate has no location %q", place)
	}
	for i := range w.Estate.grants {
		m := w.Estate.grants[i].more
		chosen[i] = (f == nil || meant(w, m, f)) && (!placed || m.at == nil || o.mayBeAt(m.at, loc))
	}
	out, told := []Overlap{}, map[[2]int32]bool{}
	for q := range w.Estate.queues {
		list := slices.DeleteFunc(slices.Clone(w.Estate.selecting(int32(q))), func(g int32) bool { return !chosen[g] })
		for i, a := range list {
			for _, b := range list[i+1:] {
				pair := [2]int32{min(a, b), max(a, b)}
				if told[pair] {
					continue
				}
				if len(told) == mostPairs {
					return nil, fault.New(fault.TooLarge, "overlaps-many", "name a person or a place", "over %d pairs of grants "+
						"speak of the same queues, and were not all compared", mostPairs)
				}
				told[pair] = true
				if v, ok := o.overlap(pair[0], pair[1], f); ok {
					out = append(out, v)
				}
			}
		}
	}
	slices.SortFunc(out, func(a, b Overlap) int { return cmp.Or(cmp.Compare(a.A, b.A), cmp.Compare(a.B, b.B)) })
	return out, nil
}

type overlapper struct {
	w      *World
	people map[int32][]directory.MemberID // of a grant, sorted
}

// overlap compares two grants; f is the person who was asked about, or nil.
func (o *overlapper) overlap(i, j int32, f *facts) (v Overlap, ok bool) {
	a, b := o.w.Estate.grants[i].more, o.w.Estate.grants[j].more
	shared := func(x, y uint32) bool { return x == 0 || y == 0 || x&y != 0 }
	if !shared(uint32(sessionBits(a.Sessions)), uint32(sessionBits(b.Sessions))) ||
		!shared(platformBits(a.Platforms), platformBits(b.Platforms)) || !mayBothOn(a.on, b.on) || !o.mayBothAt(a.at, b.at) {
		return v, false
	}
	v = Overlap{A: a.Name, B: b.Name, Queues: []string{}, Names: []string{}, Everyone: anybody(a) && anybody(b)}
	switch {
	case f != nil: // both are meant for the one who was asked about
		v.Everyone, v.People, v.Names = false, 1, append(v.Names, f.User)
	case v.Everyone:
		v.People = o.w.Directory.People()
	default:
		both := o.both(i, j)
		if v.People = len(both); v.People == 0 {
			return v, false
		}
		for _, id := range both[:min(overlapNames, len(both))] {
			v.Names = append(v.Names, o.called(id))
		}
	}
	for _, q := range a.queues {
		if _, ok := slices.BinarySearch(b.queues, q); ok {
			v.Queues = append(v.Queues, o.w.Estate.queues[q].Name)
		}
	}
	v.outcome(a, b)
	return v, true
}

// outcome says what two grants come to where both hold (estate.md, section 5, steps 1, 2 and 7).
func (v *Overlap) outcome(a, b *more) {
	rank := map[estate.Effect]int{estate.Withhold: 2, estate.Place: 1}
	first := a
	if rank[b.Effect] > rank[a.Effect] {
		first = b
	}
	v.Outcome = map[estate.Effect]string{estate.Withhold: "withheld", estate.Place: "placed",
		estate.Offer: "offered"}[first.Effect]
	if a.Effect != b.Effect {
		v.Decides = first.Name
	}
	if v.Outcome != "withheld" && a.Default > 0 && b.Default > 0 {
		switch {
		case a.Default > b.Default:
			v.Default = a.Name
		case b.Default > a.Default:
			v.Default = b.Name
		default:
			v.Tie = true
		}
	}
}

// anybody says that a grant is not limited by people.
func anybody(m *more) bool { return (m.to == nil || m.to.everyone) && !exceptsPeople(m) }

func exceptsPeople(m *more) bool {
	return m.except != nil && (m.except.everyone || len(m.except.users)+len(m.except.groups)+len(m.except.units) > 0)
}

// both gives the people for whom two grants can hold, by their numbers.
func (o *overlapper) both(i, j int32) []directory.MemberID {
	a, b := o.w.Estate.grants[i].more, o.w.Estate.grants[j].more
	switch {
	case anybody(a):
		return o.of(j)
	case anybody(b):
		return o.of(i)
	}
	// One that is for everybody but some also holds for people whom only the other names, and no directory lists.
	wide := func(m *more) bool { return m.to == nil || m.to.everyone }
	switch {
	case wide(a) && !wide(b):
		return o.less(slices.Clone(o.of(j)), a)
	case wide(b) && !wide(a):
		return o.less(slices.Clone(o.of(i)), b)
	}
	var out []directory.MemberID
	other := o.of(j)
	for _, id := range o.of(i) {
		if _, ok := slices.BinarySearch(other, id); ok {
			out = append(out, id)
		}
	}
	return out
}

// less takes those out of a list of people whom a grant excepts.
func (o *overlapper) less(ids []directory.MemberID, m *more) []directory.MemberID {
	if !exceptsPeople(m) {
		return ids
	}
	var s Scratch
	return slices.DeleteFunc(ids, func(id directory.MemberID) bool {
		f, err := o.w.facts(Context{User: o.called(id)}, &s, false)
		return err == nil && o.w.to(m.except, f)
	})
}

// of gives the people of the directory for whom a grant can hold, each by the number that stands for them, sorted.
func (o *overlapper) of(g int32) []directory.MemberID {
	if list, ok := o.people[g]; ok {
		return list
	}
	m := o.w.Estate.grants[g].more
	var ids []directory.MemberID
	if m.to == nil || m.to.everyone {
		directory.EachUser(o.w.Directory, func(id directory.MemberID) { ids = append(ids, id) })
	} else {
		ids = o.members(m.to)
	}
	for i, id := range ids {
		ids[i] = o.w.Directory.Primary(id)
	}
	slices.Sort(ids)
	ids = o.less(slices.Compact(ids), m)
	o.people[g] = ids
	return ids
}

// called is a person's name as the directory writes it, where it lists them.
func (o *overlapper) called(id directory.MemberID) string {
	if users := o.w.Directory.Records().Users; int(id) < len(users) {
		return users[id].Name
	}
	return o.w.Directory.UserName(id)
}

// members gives the people whom a list of entries names.
func (o *overlapper) members(c *cond) (ids []directory.MemberID) {
	d := o.w.Directory
	take := func(id directory.MemberID) { ids = append(ids, id) }
	for _, u := range c.users {
		if id := d.UserID(name.Fold(u)); id != directory.NoMember {
			take(id)
		}
	}
	for _, r := range c.groups {
		if id, ok := d.GroupID(o.w.Estate.refs.groups[r].written); ok {
			d.EachUserIn(id, take)
		}
	}
	for _, r := range c.units {
		if id, ok := d.Unit(o.w.Estate.refs.units[r].written); ok {
			d.EachUserUnder(id, take)
		}
	}
	return ids
}

// mayBothOn says whether two conditions on machines can hold together: not where both name single machines, and none
// of them is the same.
func mayBothOn(a, b *cond) bool {
	single := func(c *cond) bool { return len(c.groups)+len(c.units)+len(c.hosts) == 0 }
	if a == nil || b == nil || !single(a) || !single(b) {
		return true
	}
	return slices.ContainsFunc(a.machines, func(m string) bool { return slices.Contains(b.machines, m) })
}

// mayBothAt says whether two conditions on places can hold together.
func (o *overlapper) mayBothAt(a, b *cond) bool {
	if a == nil || b == nil {
		return true
	}
	related := slices.ContainsFunc(a.locs, func(l int32) bool {
		return slices.ContainsFunc(b.locs, func(m int32) bool { return o.related(l, m) })
	})
	located := func(places, addresses *cond) bool {
		return addresses.addresses() && slices.ContainsFunc(places.locs, func(l int32) bool {
			return o.mayBeIn(addresses, l)
		})
	}
	return related || a.meets(b, true) || located(a, b) || located(b, a)
}

// mayBeAt says whether a condition on places can hold for somebody at a location or below it.
func (o *overlapper) mayBeAt(c *cond, loc int32) bool {
	return slices.ContainsFunc(c.locs, func(l int32) bool { return o.related(l, loc) }) ||
		c.addresses() && o.mayBeIn(c, loc)
}

// mayBeIn says whether an address of the condition can be one at a location or below: as the estate's subnets say, or
// where none of them says where the addresses are.
func (o *overlapper) mayBeIn(c *cond, loc int32) bool {
	known := false
	for _, s := range o.w.Estate.doc.Subnets {
		if !c.meets(&cond{prefixes: []netip.Prefix{s.CIDR}}, false) {
			continue
		}
		known = true
		if o.related(o.w.Estate.tree.byPath[s.Location], loc) {
			return true
		}
	}
	return !known
}

// related says whether one of two locations is the other, or lies below it.
func (o *overlapper) related(a, b int32) bool {
	locs := o.w.Estate.tree.locs
	return a <= b && b < locs[a].end || b <= a && a < locs[b].end
}

func (c *cond) addresses() bool { return len(c.prefixes)+len(c.ranges) > 0 }

// meets says whether two conditions have an address in common. Who has one of either family has both, where that is
// asked.
func (c *cond) meets(o *cond, families bool) bool {
	spans := func(c *cond) [][2]netip.Addr {
		out := slices.Clone(c.ranges)
		for _, p := range c.prefixes {
			out = append(out, [2]netip.Addr{p.Masked().Addr(), lastIn(p)})
		}
		return out
	}
	for _, a := range spans(c) {
		for _, b := range spans(o) {
			if a[0].BitLen() != b[0].BitLen() && families {
				return true
			}
			if a[0].BitLen() == b[0].BitLen() && a[0].Compare(b[1]) <= 0 && b[0].Compare(a[1]) <= 0 {
				return true
			}
		}
	}
	return false
}
