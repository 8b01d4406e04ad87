// Package lineup resolves who receives which queues. Compile turns an estate into a form that is fast to ask, Bind
// joins it with a directory and live state, Resolve answers one context, Why explains one queue of an answer.
//
// Every value here is immutable once made; any number of goroutines may ask the same World, each with a Scratch of its
// own.
package lineup

import (
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/gaissmai/bart"

	"cirque/core/estate"
	"cirque/core/hours"
	"cirque/core/name"
	"cirque/core/path"
)

// An Estate is a compiled document.
type Estate struct {
	doc      *estate.Document
	revision int

	tree          *tree
	subnets       *bart.Table[int32]
	stationByName map[string]int32 // folded
	stationByAddr map[netip.Addr]int32
	// sorted by name, as are servers, sets, devices, queues and grants: comparing numbers compares names
	drivers []driver
	plugged []string // by device, the folded machine into which it is plugged; "" of one on the network

	queues      []queue
	queueNames  []string         // beside the queues, close together: every answer names some
	queueByName map[string]int32 // old names too
	grants      []grant
	grantNames  []string // likewise
	allowances  []allowance
	charges     []charge
	refs        *refs
	index       index
	timed       bool        // some grant or queue has hours or an end
	endings     []time.Time // when grants and queues end, ascending
}

type driver struct {
	name, exact, platform, system string
}

// grant is what an answer reads of a grant; the conditions are looked up only where it has any that are not known to
// hold from where it is filed.
type grant struct {
	does      does
	sessions  uint8
	weight    int16
	platforms uint32
	nearest   int32
	only      int32 // the one queue that it selects, else none
	atOne     int32 // the location, where at is just that and it is not filed by it
	more      *more
}

// does has a bit for each thing that a grant says.
type does uint16

const (
	withholds  does = 1 << iota
	places          // else it offers
	insists         // on its default
	restores        // a queue that somebody removed
	personal        // has a to
	conditions      // has some that must be looked at: to, on, at or except
	timed           // has hours or an end, or one of its queues has
)

// more is the rest of a grant.
type more struct {
	*estate.Grant
	filed              filing
	to, on, at, except *cond
	open               hours.Schedule
	week               int32   // its number, or none where it is always open
	queues             []int32 // ascending
}

// Options of Compile. The zero value works, with every clock in UTC.
type Options struct {
	// Zone gives a time zone by its IANA name; core loads none itself. Nil, or nil from it, stands for UTC.
	Zone func(name string) *time.Location
	// Reuse is an estate compiled before, of which everything that has not changed is taken over.
	Reuse *Estate
}

// Compile prepares a document that Parse has accepted. revision is what the answers say.
func Compile(doc *estate.Document, revision int, opts Options) *Estate {
	e := &Estate{doc: doc.Sorted(), revision: revision, queueByName: make(map[string]int32, len(doc.Queues))}
	old := opts.Reuse
	if old == nil || opts.Zone == nil != (old.tree.zone == nil) {
		old = &Estate{doc: &estate.Document{}}
	}
	doc = e.doc
	if e.tree = old.tree; e.tree == nil || !slices.Equal(doc.Locations, old.doc.Locations) {
		e.tree = newTree(doc.Locations, opts.Zone)
	}
	sameTree := e.tree == old.tree
	if e.subnets = old.subnets; !sameTree || !slices.Equal(doc.Subnets, old.doc.Subnets) {
		e.subnets = new(bart.Table[int32])
		for _, s := range doc.Subnets {
			e.subnets.Insert(s.CIDR, e.tree.byPath[s.Location])
		}
	}
	e.stations()
	c := newCompiler(e)
	for i, d := range doc.Drivers {
		system, _, _ := strings.Cut(d.Platform, "/")
		e.drivers = append(e.drivers, driver{d.Name, d.Exact, d.Platform, system})
		c.drivers[d.Name] = int32(i)
	}
	e.plugged = make([]string, len(doc.Devices))
	for i, d := range doc.Devices {
		e.plugged[i] = name.Fold(d.Machine)
	}
	if e.refs = newRefs(); old.refs != nil {
		e.refs = old.refs.clone()
	}
	means := sameTree && equalLists(doc, old.doc)
	if !means {
		c.book = path.NewBook(doc)
		c.servers, c.sets, c.devices = numbers(doc.Servers, func(s *estate.Server) string {
			return s.Name
		}), numbers(doc.ServerSets, func(s *estate.ServerSet) string {
			return s.Name
		}), numbers(doc.Devices, func(d *estate.Device) string { return d.Name })
	}
	selections := c.compileQueues(old, means)
	c.compileGrants(old, sameTree, selections)
	c.compileJobs()
	e.index = newIndex(e)
	e.ends()
	e.timed = slices.ContainsFunc(e.grants, func(g grant) bool {
		return g.does&timed != 0
	}) || slices.ContainsFunc(e.queues, func(q queue) bool { return q.open != nil })
	return e
}

// equalLists says whether everything that queues are compiled from besides the tree is as it was.
func equalLists(a, b *estate.Document) bool {
	return len(estate.Changes(&estate.Document{Drivers: a.Drivers, Servers: a.Servers, ServerSets: a.ServerSets,
		Devices: a.Devices},
		&estate.Document{Drivers: b.Drivers, Servers: b.Servers, ServerSets: b.ServerSets, Devices: b.Devices})) == 0
}

func numbers[T any](list []T, name func(*T) string) map[string]int32 {
	out := make(map[string]int32, len(list))
	for i := range list {
		out[name(&list[i])] = int32(i)
	}
	return out
}

type compiler struct {
	e                               *Estate
	drivers, servers, sets, devices map[string]int32
	book                            path.Book

	// Made once for all that say the same, so that what answers read of them lies close together.
	conds map[string]*cond
	fits  map[fits]*fits
}

func newCompiler(e *Estate) *compiler {
	return &compiler{e: e, drivers: map[string]int32{estate.Driverless: none}, conds: map[string]*cond{},
		fits: map[fits]*fits{}}
}

func schedule(windows []estate.Window, until string) hours.Schedule {
	end, _ := hours.ParseEnd(until) // Parse has refused any other
	return hours.Schedule{Week: week(windows), End: end}
}

func week(windows []estate.Window) hours.Week {
	var out hours.Week
	for _, w := range windows {
		if x, err := hours.Parse(w.Days, w.From, w.To); err == nil { // Parse has refused any other
			out = append(out, x)
		}
	}
	return out
}

// compileGrants compiles every grant, or takes it over: its conditions where the tree is the same, its queues where
// selections are.
func (c *compiler) compileGrants(old *Estate, sameTree, selections bool) {
	e := c.e
	e.grants, e.grantNames = make([]grant, len(e.doc.Grants)), make([]string, len(e.doc.Grants))
	var sel *selection
	at := 0
	for i := range e.doc.Grants {
		g := &e.doc.Grants[i]
		e.grantNames[i] = g.Name
		for at < len(old.grants) && old.grants[at].more.Name < g.Name {
			at++
		}
		if sameTree && at < len(old.grants) && old.grants[at].more.Name == g.Name && estate.SameGrant(g,
			old.grants[at].more.Grant) {
			if e.grants[i] = old.grants[at]; selections {
				continue
			}
			again := *e.grants[i].more
			e.grants[i].more = &again
		} else {
			e.grants[i] = c.grant(g)
		}
		if sel == nil {
			sel = newSelection(e)
		}
		x := &e.grants[i]
		if x.only, x.more.queues = none, sel.all(g.Queues); len(x.more.queues) == 1 {
			x.only = x.more.queues[0]
		}
		x.does &^= timed
		if !x.more.open.Always() || slices.ContainsFunc(x.more.queues,
			func(q int32) bool { return e.queues[q].ends != none }) {
			x.does |= timed
		}
	}
}

func (c *compiler) grant(g *estate.Grant) grant {
	of := *g // of its own, so that it does not keep the whole document
	m := &more{Grant: &of, to: c.cond(g.To), on: c.cond(g.On), at: c.cond(g.At), except: c.cond(g.Except),
		open: schedule(g.Open, g.Until), week: c.e.refs.week(g.Open, g.Until)}
	m.filed = filingOf(m)
	out := grant{nearest: int32(g.Nearest), weight: int16(g.Default), sessions: sessionBits(g.Sessions),
		platforms: platformBits(g.Platforms), only: none, atOne: none, more: m}
	if a := m.at; a != nil && m.filed != filedAt && len(a.locs) == 1 && len(a.written) == 1 {
		out.atOne = a.locs[0]
	}
	for bit, is := range map[does]bool{withholds: g.Effect == estate.Withhold, places: g.Effect == estate.Place,
		insists: g.Insist, restores: g.IfRemoved != estate.Leave,
		personal: m.to != nil,
		conditions: m.to != nil && m.filed != filedTo || m.on != nil && m.filed != filedOn || m.at != nil &&
			m.filed != filedAt && out.atOne == none || m.except != nil} {
		if is {
			out.does |= bit
		}
	}
	return out
}
