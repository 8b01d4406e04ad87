package lineup

import (
	"cmp"
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/live"
	"cirque/core/path"
)

// A Finding is something that a careful reader of the estate would remark on. Findings never stop anything.
type Finding struct {
	Severity string     `json:"severity" enum:"warning,note"`
	Object   string     `json:"object" doc:"Such as grant booking-hall."`
	At       estate.Ref `json:"at"`
	Key      string     `json:"key,omitempty" doc:"The key of the object that it is about, where it is about one."`
	Says     string     `json:"says"`
	Fix      string     `json:"fix"`
}

// Check remarks on an estate as it meets a directory, warnings first, then by object.
func Check(e *Estate, d *directory.Directory) []Finding {
	c := checker{e: e, d: d, w: Bind(e, d, live.State{}), out: []Finding{}}
	c.grants()
	c.queues()
	c.overlaps()
	c.access()
	c.accessNames()
	c.places()
	slices.SortStableFunc(c.out, func(a, b Finding) int {
		return cmp.Or(-cmp.Compare(a.Severity, b.Severity), cmp.Compare(a.Object, b.Object))
	})
	return c.out
}

// NewFindings gives those findings of one estate that another does not have: what a change brings about.
func NewFindings(before, after []Finding) []Finding {
	had := make(map[Finding]bool, len(before))
	for _, f := range before {
		had[f] = true
	}
	out := []Finding{}
	for _, f := range after {
		if !had[f] {
			out = append(out, f)
		}
	}
	return out
}

type checker struct {
	e   *Estate
	d   *directory.Directory
	w   *World
	s   Scratch
	out []Finding

	// by grant: the listed users whom its to holds; nil where it is not limited by people
	people []map[directory.MemberID]bool
	giving [][]int32 // by queue
	on     map[*cond]map[string]int
	sought int // unknown names for which near ones were sought
}

const (
	warning = "warning"
	remark  = "note"
)

// add remarks on an object of a list, written LIST, or on one of its keys, written LIST.KEY.
func (c *checker) add(severity, where, name, fix, format string, args ...any) {
	c.out = append(c.out, NewFinding(severity, where, name, fix, fmt.Sprintf(format, args...)))
}

// NewFinding is a finding about an object of a list, written LIST, or one of its keys, written LIST.KEY.
func NewFinding(severity, where, name, fix, says string) Finding {
	list, key, _ := strings.Cut(where, ".")
	at := estate.Ref{List: list, Name: name}
	return Finding{Severity: severity, Object: at.String(), At: at, Key: key, Says: says, Fix: fix}
}

func (c *checker) grants() {
	e := c.e
	sel := newSelection(e)
	c.giving = make([][]int32, len(e.queues))
	c.people = make([]map[directory.MemberID]bool, len(e.grants))
	for i := range e.grants {
		g := e.grants[i].more
		for _, s := range g.Queues {
			if len(sel.one(s)) == 0 {
				c.add(warning, "grants.queues", g.Name, "mend the entry, or give a queue that label or location",
					"%s selects no queue", s)
			}
		}
		for _, q := range g.queues {
			if g.Effect != estate.Withhold {
				c.giving[q] = append(c.giving[q], int32(i))
			}
		}
		c.names(g)
		c.scope(g)
		c.receivers(g)
		c.reach(int32(i), g)
		if g.Default > 0 && g.Nearest != 1 && len(g.queues) > 1 {
			c.add(remark, "grants.default", g.Name, "give one queue a default of its own, or leave the tie to distance and name",
				"its default of %d falls to %d queues at once: the nearest, then the first by name, is taken", g.Default,
				len(g.queues))
		}
	}
}

// names remarks on names that the directory does not know, and on people and machines confused.
func (c *checker) names(g *more) {
	for key, list := range map[string][]string{"to": g.To, "on": g.On, "except": g.Except} {
		for _, s := range list {
			en, err := estate.ParseEntry(s)
			if err != nil {
				continue
			}
			fix, known := c.known(s)
			users, machines := 1, 1
			switch en.Kind {
			case estate.Group:
				if id, ok := c.d.GroupID(en.Name); ok {
					users, machines = c.d.Size(id)
				}
			case estate.Unit:
				if id, ok := c.d.Unit(en.Name); ok {
					users, machines = 0, 0
					c.d.EachUserUnder(id, func(directory.MemberID) { users++ })
					c.d.EachMachineUnder(id, func(directory.MemberID) { machines++ })
				}
			}
			switch {
			case !known:
				who := "the directory does not know %s"
				if en.Kind == estate.Machine || en.Kind == estate.Host {
					who = "neither the directory nor the estate knows %s"
				}
				c.add(remark, "grants."+key, g.Name, fix, who, s)
			case key == "to" && users == 0 && machines > 0:
				c.add(warning, "grants.to", g.Name, "write it under on: to is for people", "%s under to holds machines only", s)
			case key == "on" && machines == 0 && users > 0:
				c.add(warning, "grants.on", g.Name, "write it under to: on is for machines", "%s under on holds people only", s)
			}
		}
	}
}

// reach finds whom a grant is for, and remarks where that is nobody.
func (c *checker) reach(i int32, g *more) {
	if g.to != nil && !g.to.everyone {
		people := map[directory.MemberID]bool{}
		c.w.EachUser(Mark{[]int32{i}}, func(folded string) {
			if id := c.d.UserID(folded); id != directory.NoMember && c.d.Listed(id) {
				people[id] = true
			}
		})
		c.people[i] = people
		if len(people) == 0 {
			c.add(warning, "grants.to", g.Name, "put somebody into it, mend the names, or take the grant out",
				"nobody whom the directory knows is meant by to: %s", strings.Join(g.To, ", "))
			return
		}
		if g.except != nil && c.allExcepted(people, g) {
			c.add(warning, "grants.except", g.Name, "take somebody out of except, or the grant out",
				"its except takes out everybody "+
					"whom its to names")
		}
	}
	if g.on == nil || len(g.on.machines)+len(g.on.hosts) > 0 {
		return
	}
	if !anyMachine(c.w, g.on) {
		c.add(warning, "grants.on", g.Name, "put a machine into it, or mend the names",
			"no machine that the directory knows "+
				"is meant by on: %s", strings.Join(g.On, ", "))
	}
}

func (c *checker) allExcepted(people map[directory.MemberID]bool, g *more) bool {
	for id := range people {
		f, err := c.w.facts(Context{User: c.d.UserName(id)}, &c.s, false)
		if err == nil && !c.w.to(g.except, f) {
			return false
		}
	}
	return true
}

func (c *checker) queues() {
	e := c.e
	platforms := c.platforms()
	given := Givens(c.w, time.Time{}) // what has ended is remarked on by Endings
	for i := range e.queues {
		q := &e.queues[i]
		if q.Retired {
			continue
		}
		if given[i].State == ToNobody && q.Purpose == "" {
			c.add(warning, "queues", q.Name, given[i].Fix, "%s", given[i].Says)
		}
		if q.paths == 0 {
			if len(given[i].By) == 0 {
				c.add(warning, "queues.paths", q.Name, "give it a path through a device, a server, a set or the gateway",
					"it has no path, so it is left out of every lineup")
			}
			continue
		}
		gateway := slices.ContainsFunc(q.ways, func(w fullWay) bool { return w.Through == path.Gateway })
		if gateway && len(q.Devices) == 0 {
			c.add(warning, "queues.devices", q.Name, "name the devices behind it",
				"it has a path through the gateway and no device "+
					"for the gateway to send to")
		}
		if gateway {
			if d := e.onlyAttached(q); d != nil {
				c.add(warning, "queues.paths", q.Name, "lead the people at "+d.Machine+" straight to it: {device: "+d.Name+"}",
					"its path through the gateway leads nowhere: %s is plugged into %s", d.Name, d.Machine)
			}
		}
		if gateway || q.fits == nil || len(c.giving[i]) == 0 {
			continue
		}
		var missing []string
		machines := 0
		for _, p := range platforms {
			n := platformNumber(p.name)
			wanted := slices.ContainsFunc(c.giving[i], func(g int32) bool {
				x := &e.grants[g]
				return x.platforms == 0 || x.platforms&(1<<n) != 0
			})
			if wanted && q.fits[n] == noDriver {
				missing = append(missing, p.name)
				machines += p.machines
			}
		}
		if len(missing) > 0 {
			c.add(warning, "queues.drivers", q.Name, "add drivers for them, or \"*\": driverless", "no driver fits %s, which %s",
				names(missing), have(machines))
		}
	}
	for _, s := range e.doc.ServerSets {
		if len(s.Members) == 1 {
			c.add(remark, "server_sets.members", s.Name, "add a second server, or lead the paths to the server itself",
				"it has one member only, so nothing can take over")
		}
	}
}

func have(machines int) string {
	if machines == 1 {
		return "1 machine has"
	}
	return fmt.Sprintf("%d machines have", machines)
}

type usedPlatform struct {
	name     string
	machines int
}

// platforms counts the platforms of the machines that directory and estate know.
func (c *checker) platforms() []usedPlatform {
	n := map[string]int{}
	for _, m := range c.d.Records().Machines {
		if platformNumber(m.Platform) != none {
			n[m.Platform]++
		}
	}
	for _, s := range c.e.doc.Stations {
		if platformNumber(s.Platform) != none {
			n[s.Platform]++
		}
	}
	var out []usedPlatform
	for p, machines := range n {
		out = append(out, usedPlatform{p, machines})
	}
	slices.SortFunc(out, func(a, b usedPlatform) int { return cmp.Compare(a.name, b.name) })
	return out
}

// places looks at subnets, stations and addresses.
func (c *checker) places() {
	doc := c.e.doc
	for i, a := range doc.Subnets {
		for _, b := range doc.Subnets[i+1:] {
			if !b.CIDR.Overlaps(a.CIDR) {
				if b.CIDR.Addr().Is4() != a.CIDR.Addr().Is4() || a.CIDR.Addr().Less(b.CIDR.Addr()) {
					break // they are in order, so nothing after it can
				}
				continue
			}
			if estate.Site(a.Location) != estate.Site(b.Location) {
				c.add(warning, "subnets.location", b.CIDR.String(), "mend one of the two, or tie both to one site",
					"it lies at %s, inside %s, which lies at %s", estate.Site(b.Location), a.CIDR, estate.Site(a.Location))
			}
		}
	}
	first := map[string]string{}
	for _, s := range doc.Stations {
		for _, a := range s.Addresses {
			if other, taken := first[a.String()]; taken {
				c.add(warning, "stations.addresses", s.Name, "let one station have it", "its address %s is also that of %s, "+
					"which counts", a, other)
			} else {
				first[a.String()] = s.Name
			}
			if s.Location == "" {
				c.inside("stations.addresses", s.Name, a)
			}
		}
	}
	for _, v := range doc.Devices {
		if v.Machine != "" {
			if fix, known := c.known("machine:" + v.Machine); !known {
				c.add(remark, "devices.machine", v.Name, fix, "neither the directory nor the estate knows machine:%s",
					v.Machine)
			}
			continue // it has no address
		}
		if u, err := url.Parse(v.URI); err == nil {
			if a, err := netip.ParseAddr(u.Hostname()); err == nil {
				c.inside("devices.uri", v.Name, a.Unmap())
			}
		}
	}
}

func (c *checker) inside(list, name string, a netip.Addr) {
	if len(c.e.doc.Subnets) == 0 {
		return
	}
	if _, ok := c.e.subnets.Lookup(a); !ok {
		c.add(remark, list, name, "add the subnet, or mend the address", "its address %s lies in no subnet of the estate", a)
	}
}
