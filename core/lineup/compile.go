// Package lineup resolves who receives which queues. Compile turns an estate into a form that is fast to ask, Bind
// joins it with a directory and live state, Resolve answers one context, Why explains one queue of an answer.
//
// Every value here is immutable once made; any number of goroutines may ask the same World, each with a Scratch of its
// own.
package lineup

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/gaissmai/bart"

	"cirque/core/estate"
	"cirque/core/hours"
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

	queues      []queue
	queueByName map[string]int32 // old names too
	grants      []grant
	refs        *refs
	index       index
	timed       bool // some grant or queue has hours
}

type driver struct {
	name, exact, platform, system string
}

// queue keeps what every answer reads close together, in front.
type queue struct {
	loc, zone       int32
	retired, paused bool
	// by platform: the chosen driver, none for driverless, or noDriver; nil: always driverless
	fits    *[platformCount + 1]int16
	access  *access
	open    *hours.Week
	paths   []way
	entries []Entry // ready to be copied: one for each path, of a set one for each member
	*estate.Queue
	ways    []fullWay
	drivers []choice // by key
}

// noDriver stands in a queue's fits where none fits.
const noDriver = -2

// way is one path of a queue: what is needed to choose it.
type way struct {
	kind     wayKind
	sessions uint8
	through  int32 // the device, server or set
	first    int32 // its first entry
	at       *cond
}

type wayKind uint8

const (
	wayDevice wayKind = iota
	wayServer
	waySet
	wayGateway
)

// fullWay is what else is known of a path.
type fullWay struct {
	path.Way
	members []int32 // servers of the set
}

// choice is one entry of a queue's drivers; driver is none for driverless.
type choice struct {
	key    string
	driver int32
}

type access struct{ allow, deny *cond }

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
	timed           // has hours
)

// more is the rest of a grant.
type more struct {
	*estate.Grant
	filed              filing
	to, on, at, except *cond
	open               hours.Week
	week               int32   // its number, or none
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
	c := &compiler{e: e, drivers: map[string]int32{estate.Driverless: none}}
	for i, d := range doc.Drivers {
		system, _, _ := strings.Cut(d.Platform, "/")
		e.drivers = append(e.drivers, driver{d.Name, d.Exact, d.Platform, system})
		c.drivers[d.Name] = int32(i)
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
	e.index = newIndex(e)
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
}

// compileQueues compiles every queue, or takes it over where means says that what it leads through is the same. It says
// whether grants' selections still select the same numbers.
func (c *compiler) compileQueues(old *Estate, means bool) (same bool) {
	e := c.e
	e.queues = make([]queue, len(e.doc.Queues))
	same = len(e.doc.Queues) == len(old.doc.Queues)
	at := 0
	for i := range e.doc.Queues {
		q := &e.doc.Queues[i]
		e.queueByName[q.Name] = int32(i)
		for at < len(old.doc.Queues) && old.doc.Queues[at].Name < q.Name {
			at++
		}
		var before *queue
		if at < len(old.queues) && old.queues[at].Name == q.Name {
			before = &old.queues[at]
		}
		same = same && before != nil && at == i && q.Location == before.Location && slices.Equal(q.Labels, before.Labels) &&
			slices.Equal(q.Formerly, before.Formerly)
		if before != nil && means && estate.SameQueue(q, before.Queue) {
			e.queues[i] = *before
			e.queues[i].Queue = q
			continue
		}
		if c.servers == nil {
			c.book = path.NewBook(e.doc)
			c.servers, c.sets, c.devices = numbers(e.doc.Servers, func(s *estate.Server) string {
				return s.Name
			}), numbers(e.doc.ServerSets, func(s *estate.ServerSet) string {
				return s.Name
			}), numbers(e.doc.Devices, func(d *estate.Device) string { return d.Name })
		}
		e.queues[i] = c.queue(q)
	}
	for i := range e.doc.Queues {
		for _, former := range e.doc.Queues[i].Formerly {
			if _, taken := e.queueByName[former]; !taken {
				e.queueByName[former] = int32(i)
			}
		}
	}
	return same && e.tree == old.tree
}

func (c *compiler) queue(q *estate.Queue) queue {
	e := c.e
	out := queue{Queue: q, loc: none, retired: q.Retired, paused: q.Paused}
	if w := week(q.Open); w != nil {
		out.open = &w
	}
	if q.Location != "" {
		out.loc = e.tree.byPath[q.Location]
		out.zone = e.tree.locs[out.loc].zone
	}
	ready := Entry{Queue: q.Name, Scope: "user", IfRemoved: string(estate.Leave), Driver: estate.Driverless,
		Options: q.Defaults}
	if q.Title != "" {
		text := q.Title // of its own, so that the entry does not keep the whole document
		ready.Title = &text
	}
	if q.Paused {
		ready.NotAccepting = &paused
	}
	if ready.Options == nil {
		ready.Options = map[string]any{}
	}
	head, options := wireHead(&ready), wireOptions(&ready)
	for _, p := range q.Paths {
		c.way(p, &out, ready, head, options)
	}
	for key, d := range q.Drivers {
		out.drivers = append(out.drivers, choice{key, c.drivers[d]})
	}
	slices.SortFunc(out.drivers, func(a, b choice) int { return cmp.Compare(a.key, b.key) })
	if len(out.drivers) > 0 {
		out.fits = new([platformCount + 1]int16)
		for i := range out.fits {
			out.fits[i] = int16(e.driverFor(out.drivers, platformName(i)))
		}
	}
	if q.Access != nil {
		out.access = &access{c.cond(q.Access.Allow), c.cond(q.Access.Deny)}
	}
	return out
}

// way adds a path to a queue, with an entry for everywhere that it may lead.
func (c *compiler) way(p estate.Path, q *queue, ready Entry, head, options []byte) {
	w := fullWay{Way: path.Of(p, q.Name, c.book)}
	short := way{at: c.cond(p.At), sessions: sessionBits(p.Sessions), first: int32(len(q.entries)), through: none}
	to := func(t Taken) {
		ready.Path = t
		ready.wire = &wire{head, wirePath(t), options}
		q.entries = append(q.entries, ready)
	}
	switch t := (Taken{Through: w.Through, URI: w.URI}); w.Through {
	case path.Device:
		short.kind, short.through = wayDevice, c.devices[w.Device]
		t.Device = &w.Device
		to(t)
	case path.Server:
		short.kind, short.through = wayServer, c.servers[w.Server]
		t.Server = &w.Server
		to(t)
	case path.Set:
		short.kind, short.through = waySet, c.sets[w.Set]
		for i := range w.Members {
			m := &w.Members[i]
			w.members = append(w.members, c.servers[m.Server])
			to(Taken{Through: w.Through, Server: &m.Server, Set: &w.Set, URI: m.URI})
		}
	default:
		short.kind = wayGateway
		to(t)
	}
	q.paths = append(q.paths, short)
	q.ways = append(q.ways, w)
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
	e.grants = make([]grant, len(e.doc.Grants))
	var sel *selection
	at := 0
	for i := range e.doc.Grants {
		g := &e.doc.Grants[i]
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
	}
}

func (c *compiler) grant(g *estate.Grant) grant {
	of := *g // of its own, so that it does not keep the whole document
	m := &more{Grant: &of, to: c.cond(g.To), on: c.cond(g.On), at: c.cond(g.At), except: c.cond(g.Except),
		open: week(g.Open), week: c.e.refs.week(g.Open)}
	m.filed = filingOf(m)
	out := grant{nearest: int32(g.Nearest), weight: int16(g.Default), sessions: sessionBits(g.Sessions),
		platforms: platformBits(g.Platforms), only: none, atOne: none, more: m}
	if a := m.at; a != nil && m.filed != filedAt && len(a.locs) == 1 && len(a.written) == 1 {
		out.atOne = a.locs[0]
	}
	for bit, is := range map[does]bool{withholds: g.Effect == estate.Withhold, places: g.Effect == estate.Place,
		insists: g.Insist, restores: g.IfRemoved != estate.Leave,
		personal: m.to != nil, timed: m.open != nil,
		conditions: m.to != nil && m.filed != filedTo || m.on != nil && m.filed != filedOn || m.at != nil &&
			m.filed != filedAt && out.atOne == none || m.except != nil} {
		if is {
			out.does |= bit
		}
	}
	return out
}
