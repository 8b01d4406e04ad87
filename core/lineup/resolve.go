package lineup

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/estate"
	"cirque/core/path"
	"cirque/internal/fault"
)

// A Scratch holds what Resolve would else allocate anew each time. It may be used again, by one goroutine at a time.
type Scratch struct {
	facts facts
	ids   []int32
	pairs []pair
	kept  []kept
}

// pair is one matching grant that selects one queue.
type pair struct{ queue, grant int32 }

// kept is an entry on its way into the lineup, with what it is ordered by.
type kept struct {
	queue            int32
	givers           []pair
	rank             int // 0 placed, 1 picked, 2 offered
	distance, weight int
	choice           pick
}

// Resolve answers a context (estate.md, section 5). The only error is a given location that the estate does not know.
// s may be nil.
func (w *World) Resolve(c Context, s *Scratch) (*Lineup, error) {
	if s == nil {
		s = new(Scratch)
	}
	f, err := w.facts(c, s, false)
	if err != nil {
		return nil, err
	}
	return w.resolve(f, s), nil
}

func (w *World) resolve(f *facts, s *Scratch) *Lineup {
	e := w.Estate
	out := &Lineup{Context: f.echo(), Revision: e.revision, Entries: []Entry{}, LeftOut: []LeftOut{}}
	s.pairs = s.pairs[:0]
	for _, g := range w.candidates(f, s) {
		if !w.matches(&e.grants[g], f) {
			continue
		}
		for _, q := range e.grants[g].queues {
			s.pairs = append(s.pairs, pair{q, g})
		}
	}
	slices.SortFunc(s.pairs, func(a, b pair) int {
		return cmp.Or(cmp.Compare(a.queue, b.queue), cmp.Compare(a.grant, b.grant))
	})
	s.kept = s.kept[:0]
	for rest := s.pairs; len(rest) > 0; {
		n := 1
		for n < len(rest) && rest[n].queue == rest[0].queue {
			n++
		}
		w.consider(f, s, out, rest[:n])
		rest = rest[n:]
	}
	w.order(s)
	out.Entries = slices.Grow(out.Entries, len(s.kept))
	for i := range s.kept {
		out.Entries = append(out.Entries, w.entry(&s.kept[i]))
	}
	if len(out.Entries) > 0 && s.kept[0].weight > 0 && s.kept[0].rank < 2 {
		out.Entries[0].Default = true
	}
	return out
}

// candidates gives the grants that may match, each once, ascending.
func (w *World) candidates(f *facts, s *Scratch) []int32 {
	e := w.Estate
	ids := append(s.ids[:0], e.always...)
	if f.user != "" {
		ids = append(ids, e.byUser[f.user]...)
	}
	for _, r := range f.userGroups {
		ids = append(ids, e.toGroup[r]...)
	}
	for _, r := range f.userUnits {
		ids = append(ids, e.toUnit[r]...)
	}
	if f.machine != "" {
		ids = append(ids, e.byMachine[f.machine]...)
	}
	if f.host != "" {
		ids = append(ids, e.byHost[f.host]...)
	}
	for _, r := range f.machGroups {
		ids = append(ids, e.onGroup[r]...)
	}
	for _, r := range f.machUnits {
		ids = append(ids, e.onUnit[r]...)
	}
	for l := f.at; l != none; l = e.locs[l].up {
		ids = append(ids, e.byLoc[l]...)
	}
	slices.Sort(ids)
	s.ids = slices.Compact(ids)
	return s.ids
}

func (w *World) matches(g *grant, f *facts) bool {
	return (g.to == nil || w.to(g.to, f)) && (g.on == nil || w.on(g.on, f)) && (g.at == nil || w.at(g.at, f)) &&
		(len(g.Sessions) == 0 || slices.Contains(g.Sessions, f.Session)) &&
		(len(g.Platforms) == 0 || platformIn(g.Platforms, f.Platform)) &&
		(g.except == nil || !w.any(g.except, f))
}

func (w *World) to(c *cond, f *facts) bool {
	return f.user != "" && (c.everyone || slices.Contains(c.users, f.user) || overlap(c.groups, f.userGroups) || overlap(c.units, f.userUnits))
}

func (w *World) on(c *cond, f *facts) bool {
	return f.machine != "" && (slices.Contains(c.machines, f.machine) || overlap(c.groups, f.machGroups) || overlap(c.units, f.machUnits)) ||
		f.host != "" && slices.Contains(c.hosts, f.host)
}

func (w *World) at(c *cond, f *facts) bool {
	if f.at != none {
		for _, l := range c.locs {
			if w.Estate.under(f.at, l) {
				return true
			}
		}
	}
	return slices.ContainsFunc(f.Addresses, c.holds)
}

// holds says whether an address lies in a subnet or range of the condition.
func (c *cond) holds(a netip.Addr) bool {
	for _, p := range c.prefixes {
		if p.Contains(a) {
			return true
		}
	}
	for _, r := range c.ranges {
		if a.BitLen() == r[0].BitLen() && r[0].Compare(a) <= 0 && a.Compare(r[1]) <= 0 {
			return true
		}
	}
	return false
}

// any is for except and access: any entry, groups and units through user or machine.
func (w *World) any(c *cond, f *facts) bool { return w.to(c, f) || w.on(c, f) || w.at(c, f) }

func overlap(a, b []int32) bool {
	for _, x := range a {
		if slices.Contains(b, x) {
			return true
		}
	}
	return false
}

func platformIn(list []string, platform string) bool {
	system, _, _ := strings.Cut(platform, "/")
	return platform != "" && (slices.Contains(list, platform) || slices.Contains(list, system))
}

// consider takes one queue with the matching grants that select it through steps 1 to 4.
func (w *World) consider(f *facts, s *Scratch, out *Lineup, givers []pair) {
	e := w.Estate
	k := kept{queue: givers[0].queue, givers: givers, rank: 2}
	q := &e.queues[k.queue]
	gives, withheld := false, false
	for _, p := range givers {
		g := &e.grants[p.grant]
		switch g.Effect {
		case estate.Withhold:
			withheld = true
			continue
		case estate.Place:
			k.rank = 0
		}
		gives = true
		k.weight = max(k.weight, g.Default)
	}
	if !gives {
		return
	}
	leave := func(r Reason) {
		out.LeftOut = append(out.LeftOut, LeftOut{q.Name, r, e.grantNames(givers, r == Withheld)})
	}
	switch {
	case withheld:
		leave(Withheld)
	case q.Retired:
		leave(Retired)
	case !w.permitted(q, f):
		leave(NotPermitted)
	default:
		var reason Reason
		if k.choice, reason = w.pick(q, f); reason != "" {
			leave(reason)
			return
		}
		k.distance = e.distance(f.at, q.loc)
		s.kept = append(s.kept, k)
	}
}

// grantNames gives the names of the withholding or of the giving ones, in order.
func (e *Estate) grantNames(givers []pair, withholding bool) []string {
	out := make([]string, 0, len(givers))
	for _, p := range givers {
		if g := &e.grants[p.grant]; (g.Effect == estate.Withhold) == withholding {
			out = append(out, g.Name)
		}
	}
	return out
}

func (w *World) permitted(q *queue, f *facts) bool {
	a := q.access
	return a == nil || (a.deny == nil || !w.any(a.deny, f)) && (a.allow == nil || w.any(a.allow, f))
}

// pick is a path with its driver; driver is none for driverless.
type pick struct {
	path, driver int32
	stranded     bool
}

// pick chooses path and driver together (step 4).
func (w *World) pick(q *queue, f *facts) (pick, Reason) {
	direct, fits := w.Estate.driverFor(q, f.Platform)
	first, open := none, false
	for i := range q.paths {
		p := &q.paths[i]
		if !w.pathOpen(p, f) {
			continue
		}
		open = true
		if p.Through != path.Gateway && !fits {
			continue
		}
		if path.Usable(p.Way, w.Live) {
			return pick{int32(i), p.driver(direct), false}, ""
		}
		if first == none {
			first = int32(i)
		}
	}
	switch {
	case first != none:
		return pick{first, q.paths[first].driver(direct), true}, ""
	case open:
		return pick{}, NoDriver
	}
	return pick{}, NoPath
}

// pathOpen says whether a path's own conditions hold.
func (w *World) pathOpen(p *way, f *facts) bool {
	return (p.at == nil || w.at(p.at, f)) && (len(p.sessions) == 0 || slices.Contains(p.sessions, f.Session))
}

func (p *way) driver(direct int32) int32 {
	if p.Through == path.Gateway {
		return none
	}
	return direct
}

// driverFor chooses among the queue's drivers; ok is false where none fits. none stands for driverless.
func (e *Estate) driverFor(q *queue, platform string) (id int32, ok bool) {
	if len(q.drivers) == 0 {
		return none, true
	}
	if platform == "" {
		for _, c := range q.drivers {
			if c.key == "*" {
				return c.driver, true
			}
		}
		return q.drivers[0].driver, true
	}
	system, _, _ := strings.Cut(platform, "/")
	for _, key := range [3]string{platform, system, "*"} {
		for _, c := range q.drivers {
			if c.key == key && e.driverFits(c.driver, platform, system) {
				return c.driver, true
			}
		}
	}
	return none, false
}

func (e *Estate) driverFits(d int32, platform, system string) bool {
	return d == none || e.drivers[d].platform == platform || e.drivers[d].platform == system
}

// order finds the default (step 7), brings it to the front, and orders the rest (step 8). Afterwards only the default
// has a weight.
func (w *World) order(s *Scratch) {
	best := -1
	for i := range s.kept {
		k := &s.kept[i]
		if k.rank == 2 || k.weight == 0 {
			k.weight = 0
			continue
		}
		if best >= 0 {
			b := &s.kept[best]
			if cmp.Or(cmp.Compare(b.weight, k.weight), cmp.Compare(k.distance, b.distance), cmp.Compare(k.queue, b.queue)) >= 0 {
				k.weight = 0
				continue
			}
			b.weight = 0
		}
		best = i
	}
	slices.SortFunc(s.kept, func(a, b kept) int {
		return cmp.Or(cmp.Compare(b.weight, a.weight), cmp.Compare(a.rank, b.rank), cmp.Compare(a.distance, b.distance), cmp.Compare(a.queue, b.queue))
	})
}

var paused = "paused"

func (w *World) entry(k *kept) Entry {
	e := w.Estate
	q := &e.queues[k.queue]
	out := Entry{Queue: q.Name, Title: q.title, Effect: Placed, Scope: "user", IfRemoved: string(estate.Leave), Stranded: k.choice.stranded,
		Path: q.paths[k.choice.path].taken, Driver: estate.Driverless, Options: q.options, Grants: e.grantNames(k.givers, false)}
	if k.rank == 2 {
		out.Effect = Offered
	}
	for _, p := range k.givers {
		g := &e.grants[p.grant]
		out.Insist = out.Insist || g.Insist
		if g.IfRemoved != estate.Leave {
			out.IfRemoved = string(estate.Restore)
		}
		if g.Effect == estate.Place && g.MachineWide() {
			out.Scope = "machine"
		}
	}
	if q.Paused {
		out.NotAccepting = &paused
	}
	if k.distance != far {
		steps := k.distance // the scratch is used again
		out.Distance = &steps
	}
	if d := k.choice.driver; d != none {
		out.Driver, out.Exact = e.drivers[d].name, &e.drivers[d].exact
	}
	return out
}

// Permitted says whether a context may print to a queue at all (step 3), whatever grants say. Errors are a queue or given
// location that the estate does not know.
func (w *World) Permitted(c Context, called string) (bool, error) {
	i, ok := w.Estate.queueByName[called]
	if !ok {
		return false, fault.New(fault.Unknown, "queue-unknown", "see cirque queue list", "the estate has no queue %q", called)
	}
	f, err := w.facts(c, new(Scratch), false)
	if err != nil {
		return false, err
	}
	return w.permitted(&w.Estate.queues[i], f), nil
}
