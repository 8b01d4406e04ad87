package lineup

import (
	"bytes"
	"slices"

	"cirque/core/directory"
	"cirque/core/name"
)

// SameMade says that two entries are of the same queue by the same path, with the same title and options, because they
// were made once. False tells nothing.
func (e *Entry) SameMade(o *Entry) bool { return e.wire != nil && e.wire == o.wire }

// SameOptions says whether two entries have the same options.
func (e *Entry) SameOptions(o *Entry) bool {
	if e.wire == nil || o.wire == nil {
		return e.wire == o.wire
	}
	return e.wire == o.wire || bytes.Equal(e.wire.options, o.wire.options)
}

// A Mark is some grants of one estate.
type Mark struct{ grants []int32 }

// None says that no grant is marked.
func (m Mark) None() bool { return len(m.grants) == 0 }

// MarkGrants marks grants by name; those that are not there are passed over. Names are sorted.
func (e *Estate) MarkGrants(names []string) Mark {
	var m Mark
	for _, n := range names {
		if i, ok := e.grantNumber(n); ok {
			m.grants = append(m.grants, i)
		}
	}
	return m
}

func (e *Estate) grantNumber(called string) (int32, bool) {
	i, ok := slices.BinarySearchFunc(e.grants, called, func(g grant, n string) int {
		switch {
		case g.more.Name < n:
			return -1
		case g.more.Name > n:
			return 1
		}
		return 0
	})
	return int32(i), ok
}

// GrantsSelecting names the grants that select any of some queues, sorted.
func (e *Estate) GrantsSelecting(queues map[string]bool) []string {
	chosen := make([]bool, len(e.queues))
	for q := range queues {
		if i, ok := e.queueByName[q]; ok {
			chosen[i] = true
		}
	}
	var out []string
	for i := range e.grants {
		if slices.ContainsFunc(e.grants[i].more.queues, func(q int32) bool { return chosen[q] }) {
			out = append(out, e.grants[i].more.Name)
		}
	}
	return out
}

// Touches says whether any marked grant's conditions, but for the hours, hold in a context: only then can a change of
// it, or of a queue that it selects, change the context's lineup. The error is Resolve's.
func (w *World) Touches(c Context, m Mark, s *Scratch) (bool, error) {
	f, err := w.facts(c, s, false)
	if err != nil {
		return false, err
	}
	return slices.ContainsFunc(m.grants, func(g int32) bool { return w.matchesUnfiled(&w.Estate.grants[g], f) }), nil
}

// matchesUnfiled is matches without taking anything as known.
func (w *World) matchesUnfiled(g *grant, f *facts) bool {
	switch m := g.more; m.filed {
	case filedTo:
		if !w.to(m.to, f) {
			return false
		}
	case filedOn:
		if !w.on(m.on, f) {
			return false
		}
	case filedAt:
		if !w.at(m.at, f) {
			return false
		}
	}
	return w.matches(g, f)
}

// EachUser calls f for every user whom the to of a marked grant names, by folded name, perhaps more than once; limited
// is false where some marked grant is not limited by people at all, and f has not been called for everybody then.
func (w *World) EachUser(m Mark, f func(folded string)) (limited bool) {
	for _, g := range m.grants {
		if to := w.Estate.grants[g].more.to; to == nil || !w.eachIn(to, f) {
			return false
		}
	}
	return true
}

// eachIn calls f for every user whom a list of entries names; false where everyone is among them.
func (w *World) eachIn(c *cond, f func(folded string)) bool {
	if c.everyone {
		return false
	}
	d := w.Directory
	byID := func(id directory.MemberID) { f(d.UserName(id)) }
	for _, u := range c.users {
		f(u)
	}
	for _, r := range c.groups {
		if id, ok := d.GroupID(w.Estate.refs.groups[r].written); ok {
			d.EachUserIn(id, byID)
		}
	}
	for _, r := range c.units {
		if id, ok := d.Unit(w.Estate.refs.units[r].written); ok {
			d.EachUserUnder(id, byID)
		}
	}
	return true
}

// A Reach says how far a grant goes, as far as people and machines are concerned.
type Reach struct {
	Grant       string   `json:"grant"`
	People      int      `json:"people" doc:"Users of the directory whom its to holds, less those whom its except names."`
	OfPeople    int      `json:"of_people"`
	Machines    int      `json:"machines" doc:"Machines of the directory and stations that its on holds, less those whom its except names."`
	OfMachines  int      `json:"of_machines"`
	Everyone    bool     `json:"everyone" doc:"It is not limited by people."`
	AnyMachine  bool     `json:"any_machine" doc:"It is not limited by machines."`
	MachineWide bool     `json:"machine_wide" doc:"It also holds with nobody signed in."`
	Queues      []string `json:"queues"`
	Names       []string `json:"names" doc:"The first few of the people, else of the machines."`
	Left        []string `json:"left" doc:"The first few of the people of the directory, else of the machines, whom it does not reach."`
	Unknown     []string `json:"unknown" doc:"Entries whose name neither the directory nor the estate knows, with what may have been meant."`
	Seen        int      `json:"seen" doc:"Of the contexts in which people and machines were last seen, those in which it matches now."`
	OfSeen      int      `json:"of_seen"`
}

const reachNames = 12

// Reach works out whom a grant can reach; ok is false where there is no such grant. Seen and OfSeen are left to the
// caller.
func (w *World) Reach(called string) (r Reach, ok bool) {
	e := w.Estate
	i, ok := e.grantNumber(called)
	if !ok {
		return r, false
	}
	g := e.grants[i].more
	r = Reach{Grant: called, Everyone: g.to == nil || g.to.everyone, AnyMachine: g.on == nil, MachineWide: g.to == nil,
		Queues: []string{}, Names: []string{}, Left: []string{}, Unknown: unknownNames(w, g)}
	for _, q := range g.queues {
		r.Queues = append(r.Queues, e.queues[q].Name)
	}
	var s Scratch
	note := func(list *[]string, called string) {
		if len(*list) < reachNames {
			*list = append(*list, called)
		}
	}
	records := w.Directory.Records()
	r.OfPeople = w.Directory.People()
	byPeople := g.to != nil
	look := func(c Context, called string, count *int, names bool) {
		f, err := w.facts(c, &s, false)
		if err != nil {
			return // no location was given, which alone can be wrong
		}
		in := g.to == nil || w.to(g.to, f)
		if c.User == "" {
			in = g.on == nil || w.on(g.on, f)
		}
		if g.except != nil && (c.User != "" && w.to(g.except, f) || c.User == "" && w.on(g.except, f)) {
			in = false
		}
		switch {
		case in:
			*count++
			if names {
				note(&r.Names, called)
			}
		case names:
			note(&r.Left, called)
		}
	}
	for i, u := range records.Users {
		if id := directory.MemberID(i); w.Directory.Primary(id) != id {
			continue // another account of somebody
		}
		look(Context{User: u.Name}, u.Name, &r.People, byPeople)
	}
	for _, m := range records.Machines {
		look(Context{Machine: m.Name}, m.Name, &r.Machines, !byPeople)
	}
	for _, st := range e.doc.Stations {
		if w.Directory.MachineID(name.Fold(st.Name)) == directory.NoMember {
			r.OfMachines++
			look(Context{Machine: st.Name}, st.Name, &r.Machines, !byPeople)
		}
	}
	r.OfMachines += len(records.Machines)
	return r, true
}

// Match says whether a marked grant matches in a context just now, its hours for any of its queues included.
func (w *World) Match(c Context, m Mark, s *Scratch) bool {
	f, err := w.facts(c, s, false)
	if err != nil {
		return false
	}
	s.begin(w.Estate)
	return slices.ContainsFunc(m.grants, func(i int32) bool {
		g := &w.Estate.grants[i]
		return w.matchesUnfiled(g, f) && (g.does&timed == 0 || slices.ContainsFunc(g.more.queues, func(q int32) bool {
			return g.more.open.Open(s.clock(f.Time, w.Estate, w.Estate.queues[q].zone))
		}))
	})
}

// Depends names the one server and the one device without which a queue cannot be reached in a context, empty where
// there is none such: another could take over. Errors are Resolve's; an unknown queue depends on nothing.
func (w *World) Depends(c Context, called string, s *Scratch) (server, device string, err error) {
	f, err := w.facts(c, s, false)
	i, ok := w.Estate.queueByName[called]
	if err != nil || !ok {
		return "", "", err
	}
	q := &w.Estate.queues[i]
	if len(q.Devices) == 1 {
		device = q.Devices[0]
	}
	fits := q.fits == nil || q.fits[f.platformAt] != noDriver
	servers := map[int32]bool{}
	lacks := w.lacks.of(i)
	has := func(entry int32) bool { return lacks == nil || !lacks[entry] }
	for i := range int(q.paths) {
		p := q.path(i)
		switch {
		case !w.pathOpen(p, f) || p.kind != wayGateway && !fits:
		case p.kind == wayGateway, p.kind <= wayAttached && w.answering[p.through]:
			return "", device, nil // a way without any server
		case p.kind == wayServer && w.serving[p.through] && has(p.first):
			servers[p.through] = true
		case p.kind == waySet:
			for n, m := range q.ways[i].members {
				if w.serving[m] && has(p.first+int32(n)) {
					servers[m] = true
				}
			}
		}
	}
	if len(servers) == 1 {
		for n := range servers {
			server = w.Estate.doc.Servers[n].Name
		}
	}
	return server, device, nil
}
