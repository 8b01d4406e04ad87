package lineup

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/path"
)

// scope remarks on grants that hold for more than one may think: those without any condition, and places that are all
// addresses; and on ranges that overlap or leave a few addresses out.
func (c *checker) scope(g *more) {
	if g.Effect != estate.Withhold && len(g.To)+len(g.On)+len(g.At)+len(g.Except)+len(g.Sessions)+len(g.Platforms)+
		len(g.Open) == 0 {
		c.add(remark, "grants", g.Name, "write to: [everyone] where that is meant, or name people, machines or places",
			"it has no condition: it holds everywhere and for everybody, %s and %s", people(c.d.People()),
			machines(c.machines()))
	}
	type span struct {
		written  string
		from, to netip.Addr
	}
	var spans []span
	for _, s := range g.At {
		en, err := estate.ParseEntry(s)
		if err != nil {
			continue
		}
		switch {
		case en.Kind == estate.InSubnet && en.Prefix.Bits() == 0,
			en.Kind == estate.InRange && firstOf(en.From) && lastOf(en.To):
			c.add(remark, "grants.at", g.Name, "name the networks that are meant, or leave the place out",
				"%s is every address "+
					"there is", s)
		case en.Kind == estate.InRange:
			spans = append(spans, span{s, en.From, en.To})
		}
	}
	slices.SortFunc(spans, func(a, b span) int { return cmp.Or(a.from.Compare(b.from), -a.to.Compare(b.to)) })
	for i := 1; i < len(spans); i++ {
		a, b := spans[i-1], spans[i]
		switch gap := between(a.to, b.from); {
		case a.from.Is4() != b.from.Is4():
		case b.to.Compare(a.to) <= 0:
			c.add(remark, "grants.at", g.Name, "take it out", "%s lies within %s and adds nothing", b.written, a.written)
			spans[i] = a
		case b.from.Compare(a.to) <= 0:
			c.add(remark, "grants.at", g.Name, "write them as one", "%s and %s overlap", a.written, b.written)
		case gap > 0 && gap <= smallGap:
			c.add(remark, "grants.at", g.Name, "write them as one, unless it is left out on purpose",
				"between %s and %s %s left "+
					"out: %s", a.written, b.written, map[bool]string{true: "one address is", false: fmt.Sprintf("%d addresses are",
					gap)}[gap == 1], a.to.Next())
		}
	}
}

// smallGap is up to how many addresses between two ranges are likely to have been forgotten.
const smallGap = 8

func firstOf(a netip.Addr) bool { return a.IsUnspecified() }

func lastOf(a netip.Addr) bool { return !a.Next().IsValid() }

// between counts the addresses between two, up to one more than smallGap.
func between(a, b netip.Addr) int {
	n := 0
	for at := a.Next(); at.IsValid() && at.Compare(b) < 0 && n <= smallGap; at = at.Next() {
		n++
	}
	return n
}

// machines counts those of the directory and the estate's stations.
func (c *checker) machines() int { return len(c.d.Records().Machines) + len(c.e.doc.Stations) }

// receivers remarks on a grant for certain machines some of which have a platform for which no driver of a queue fits.
func (c *checker) receivers(g *more) {
	if g.on == nil || g.Effect == estate.Withhold {
		return
	}
	on := c.platformsOn(g.on)
	wanted := func(platform string) bool {
		return len(g.Platforms) == 0 || platformBits(g.Platforms)&(1<<platformNumber(platform)) != 0
	}
	for _, of := range g.queues {
		q := &c.e.queues[of]
		if q.retired || q.fits == nil || slices.ContainsFunc(q.ways, func(w fullWay) bool {
			return w.Through == path.Gateway
		}) {
			continue
		}
		var without []string
		n := 0
		for platform, count := range on {
			if q.fits[platformNumber(platform)] == noDriver && wanted(platform) {
				without = append(without, platform)
				n += count
			}
		}
		if slices.Sort(without); n > 0 {
			c.add(warning, "grants", g.Name, "give the queue a driver for them, or \"*\": driverless",
				"%s to which it gives %s "+
					"cannot have it: no driver of the queue fits %s", machines(n), q.Name, strings.Join(without, ", "))
		}
	}
}

// platformsOn counts the machines that a list of entries names, by their platform.
func (c *checker) platformsOn(on *cond) map[string]int {
	if n, ok := c.on[on]; ok {
		return n
	}
	n, met := map[string]int{}, map[string]bool{}
	look := func(folded, platform string) {
		if !met[folded] && platformNumber(platform) != none {
			met[folded] = true
			n[platform]++
		}
	}
	byID := func(id directory.MemberID) {
		if m, ok := c.d.ListedMachine(id); ok {
			look(name.Fold(m.Name), m.Platform)
		}
	}
	for _, m := range on.machines {
		if i, ok := c.e.stationByName[m]; ok {
			look(m, c.e.doc.Stations[i].Platform)
		}
		byID(c.d.MachineID(m))
	}
	for _, r := range on.groups {
		if id, ok := c.d.GroupID(c.e.refs.groups[r].written); ok {
			c.d.EachMachineIn(id, byID)
		}
	}
	for _, r := range on.units {
		if id, ok := c.d.Unit(c.e.refs.units[r].written); ok {
			c.d.EachMachineUnder(id, byID)
		}
	}
	if c.on == nil {
		c.on = map[*cond]map[string]int{}
	}
	c.on[on] = n
	return n
}

// accessNames remarks on names in access rules that the directory does not know.
func (c *checker) accessNames() {
	for i := range c.e.queues {
		q := &c.e.queues[i]
		if q.Access == nil || q.Retired {
			continue
		}
		for key, list := range map[string][]string{"allow": q.Access.Allow, "deny": q.Access.Deny} {
			for _, s := range list {
				if fix, known := c.known(s); !known {
					c.add(warning, "queues.access", q.Name, fix, "its access names %s under %s, which nobody knows", s, key)
				}
			}
		}
	}
}

// mostSought is for how many unknown names near ones are sought: each costs a look at all of its kind.
const mostSought = 20

// known says whether directory or estate know what an entry names, and what may have been meant.
func (c *checker) known(entry string) (fix string, known bool) {
	en, err := estate.ParseEntry(entry)
	if err != nil {
		return "", true
	}
	kind := ""
	switch en.Kind {
	case estate.User:
		kind, known = "user", c.d.UserID(name.Fold(en.Name)) != directory.NoMember
	case estate.Group:
		_, known = c.d.GroupID(en.Name)
		kind = "group"
	case estate.Unit:
		_, known = c.d.Unit(en.Name)
		kind = "unit"
	case estate.Machine, estate.Host:
		kind = "machine"
		known = c.d.MachineID(name.Fold(en.Name)) != directory.NoMember || c.e.Station(en.Name) != nil
	default:
		return "", true
	}
	if known {
		return "", true
	}
	const mend = "mend the name, or wait until the directory has it"
	if c.sought++; c.sought > mostSought {
		return mend, false
	}
	if kind == "machine" {
		return name.DidYouMean(NearMachines(c.e, c.d, en.Name), mend), false
	}
	return name.DidYouMean(c.d.Near(kind, en.Name), mend), false
}

// unknownNames gives the entries of a grant that nobody knows, each with what may have been meant.
func unknownNames(w *World, g *more) []string {
	c, out := checker{e: w.Estate, d: w.Directory, w: w}, []string{}
	for _, s := range slices.Concat(g.To, g.On, g.Except) {
		if fix, known := c.known(s); !known {
			out = append(out, s+" ("+fix+")")
		}
	}
	return out
}
