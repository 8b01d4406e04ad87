// Package lineup resolves who receives which queues. Compile turns an estate into a form that is fast to ask, Bind joins
// it with a directory and live state, Resolve answers one context, Why explains one queue of an answer.
//
// Every value here is immutable once made; any number of goroutines may ask the same World, each with a Scratch of its own.
package lineup

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"github.com/gaissmai/bart"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/live"
	"cirque/core/name"
	"cirque/core/path"
)

// An Estate is a compiled document.
type Estate struct {
	doc      *estate.Document
	revision int

	locs          []location
	locByPath     map[string]int32
	subnets       bart.Table[int32]
	stationByName map[string]int32 // folded
	stationByAddr map[netip.Addr]int32
	drivers       []driver // sorted by name

	queues      []queue // sorted by name, so that comparing numbers compares names
	queueByName map[string]int32
	grants      []grant // sorted by name

	groups []ref // the groups that the estate names
	units  []ref

	// Each grant is indexed once, by the kind of condition that narrows most.
	byUser, byMachine, byHost map[string][]int32
	toGroup, onGroup          [][]int32 // by group ref
	toUnit, onUnit            [][]int32
	byLoc                     [][]int32
	always                    []int32 // looked at in every context
}

type location struct {
	path  string
	up    int32
	depth int32
	site  int32
}

type driver struct {
	name, exact, platform, system string
}

// ref is a group or unit that the estate names.
type ref struct {
	written string
	key     string
}

type queue struct {
	estate.Queue
	loc     int32
	title   *string
	paths   []way
	drivers []choice // by key
	access  *access
	options map[string]any
	givers  []int32 // grants that select it, ascending
}

type way struct {
	path.Way
	at       *cond
	sessions []string
	taken    Taken
}

// choice is one entry of a queue's drivers; driver is none for driverless.
type choice struct {
	key    string
	driver int32
}

type access struct{ allow, deny *cond }

type grant struct {
	estate.Grant
	to, on, at, except *cond
	queues             []int32 // ascending
}

// cond is a compiled list of entries.
type cond struct {
	written         []string
	everyone        bool
	users           []string // folded, as are machines and hosts
	groups, units   []int32
	machines, hosts []string
	locs            []int32
	prefixes        []netip.Prefix
	ranges          [][2]netip.Addr
}

// Compile prepares a document that Parse has accepted. revision is what the answers say.
func Compile(doc *estate.Document, revision int) *Estate {
	e := &Estate{doc: doc.Sorted(), revision: revision, locByPath: map[string]int32{}, stationByName: map[string]int32{}, stationByAddr: map[netip.Addr]int32{},
		queueByName: map[string]int32{}, byUser: map[string][]int32{}, byMachine: map[string][]int32{}, byHost: map[string][]int32{}}
	doc = e.doc
	for _, l := range doc.Locations {
		e.location(l.Path)
	}
	for _, s := range doc.Subnets {
		e.subnets.Insert(s.CIDR, e.locByPath[s.Location])
	}
	for i, s := range doc.Stations {
		e.stationByName[name.Fold(s.Name)] = int32(i)
		for _, a := range s.Addresses {
			if _, taken := e.stationByAddr[a]; !taken { // of two stations with one address, the first by name
				e.stationByAddr[a] = int32(i)
			}
		}
	}
	driverByName := map[string]int32{estate.Driverless: none}
	for i, d := range doc.Drivers {
		system, _, _ := strings.Cut(d.Platform, "/")
		e.drivers = append(e.drivers, driver{d.Name, d.Exact, d.Platform, system})
		driverByName[d.Name] = int32(i)
	}
	servers, devices := map[string]estate.Server{}, map[string]estate.Device{}
	for _, s := range doc.Servers {
		servers[s.Name] = s
	}
	for _, d := range doc.Devices {
		devices[d.Name] = d
	}
	c := &compiler{e: e, groups: map[string]int32{}, units: map[string]int32{}}
	for i, q := range doc.Queues {
		e.queueByName[q.Name] = int32(i)
		e.queues = append(e.queues, c.queue(q, servers, devices, driverByName))
	}
	for i, q := range doc.Queues {
		for _, old := range q.Formerly {
			if _, taken := e.queueByName[old]; !taken {
				e.queueByName[old] = int32(i)
			}
		}
	}
	sel := newSelection(e)
	for _, g := range doc.Grants {
		e.grants = append(e.grants, grant{g, c.cond(g.To), c.cond(g.On), c.cond(g.At), c.cond(g.Except), sel.all(g.Queues)})
	}
	e.toGroup, e.onGroup = make([][]int32, len(e.groups)), make([][]int32, len(e.groups))
	e.toUnit, e.onUnit = make([][]int32, len(e.units)), make([][]int32, len(e.units))
	e.byLoc = make([][]int32, len(e.locs))
	for i := range e.grants {
		e.index(int32(i))
		for _, q := range e.grants[i].queues {
			e.queues[q].givers = append(e.queues[q].givers, int32(i))
		}
	}
	return e
}

// Document gives the compiled document, sorted; the caller must not change it.
func (e *Estate) Document() *estate.Document { return e.doc }

// Revision is the revision that answers name.
func (e *Estate) Revision() int { return e.revision }

// HasQueue gives the present name of a queue, which may be asked for by an old one.
func (e *Estate) HasQueue(called string) (string, bool) {
	i, ok := e.queueByName[called]
	if !ok {
		return "", false
	}
	return e.queues[i].Name, true
}

func (e *Estate) paths() []string {
	var out []string
	for _, l := range e.locs {
		out = append(out, l.path)
	}
	slices.Sort(out)
	return out
}

func (e *Estate) location(path string) int32 {
	if i, ok := e.locByPath[path]; ok {
		return i
	}
	l := location{path: path, up: none}
	if cut := strings.LastIndexByte(path, '/'); cut >= 0 {
		l.up = e.location(path[:cut])
		l.depth = e.locs[l.up].depth + 1
		l.site = e.locs[l.up].site
	}
	i := int32(len(e.locs))
	if l.up == none {
		l.site = i
	}
	e.locs = append(e.locs, l)
	e.locByPath[path] = i
	return i
}

// under says whether location a is b or under b.
func (e *Estate) under(a, b int32) bool {
	for ; a != none; a = e.locs[a].up {
		if a == b {
			return true
		}
		if e.locs[a].depth <= e.locs[b].depth {
			return false
		}
	}
	return false
}

// far is the distance of what has none; it sorts last.
const far = 1 << 30

// distance counts the steps between two locations, up to the common ancestor and down again.
func (e *Estate) distance(a, b int32) int {
	if a == none || b == none || e.locs[a].site != e.locs[b].site {
		return far
	}
	steps := 0
	for a != b {
		if e.locs[a].depth >= e.locs[b].depth {
			a = e.locs[a].up
		} else {
			b = e.locs[b].up
		}
		steps++
	}
	return steps
}

type compiler struct {
	e             *Estate
	groups, units map[string]int32
}

func intern(refs *[]ref, known map[string]int32, written string) int32 {
	key := name.Fold(written)
	i, ok := known[key]
	if !ok {
		i = int32(len(*refs))
		known[key] = i
		*refs = append(*refs, ref{written, key})
	}
	return i
}

func (c *compiler) cond(entries []string) *cond {
	if len(entries) == 0 {
		return nil
	}
	out := &cond{written: entries}
	for _, s := range entries {
		en, err := estate.ParseEntry(s)
		if err != nil {
			continue // Parse has refused it
		}
		switch en.Kind {
		case estate.Everyone:
			out.everyone = true
		case estate.User:
			out.users = append(out.users, name.Fold(en.Name))
		case estate.Group:
			out.groups = append(out.groups, intern(&c.e.groups, c.groups, en.Name))
		case estate.Unit:
			out.units = append(out.units, intern(&c.e.units, c.units, en.Name))
		case estate.Machine:
			out.machines = append(out.machines, name.Fold(en.Name))
		case estate.Host:
			out.hosts = append(out.hosts, name.Fold(en.Name))
		case estate.At:
			out.locs = append(out.locs, c.e.locByPath[en.Name])
		case estate.InSubnet:
			out.prefixes = append(out.prefixes, en.Prefix)
		case estate.InRange:
			out.ranges = append(out.ranges, [2]netip.Addr{en.From, en.To})
		}
	}
	return out
}

func (c *compiler) queue(q estate.Queue, servers map[string]estate.Server, devices map[string]estate.Device, drivers map[string]int32) queue {
	out := queue{Queue: q, loc: none, options: q.Defaults}
	if q.Location != "" {
		out.loc = c.e.locByPath[q.Location]
	}
	if q.Title != "" {
		out.title = &q.Title
	}
	if out.options == nil {
		out.options = map[string]any{}
	}
	for _, p := range q.Paths {
		w := way{Way: path.Of(p, q.Name, servers, devices), at: c.cond(p.At), sessions: p.Sessions}
		w.taken = Taken{Through: w.Through, URI: w.URI}
		if w.Device != "" {
			w.taken.Device = &w.Device
		}
		if w.Server != "" {
			w.taken.Server = &w.Server
		}
		out.paths = append(out.paths, w)
	}
	for key, d := range q.Drivers {
		out.drivers = append(out.drivers, choice{key, drivers[d]})
	}
	slices.SortFunc(out.drivers, func(a, b choice) int { return cmp.Compare(a.key, b.key) })
	if q.Access != nil {
		out.access = &access{c.cond(q.Access.Allow), c.cond(q.Access.Deny)}
	}
	return out
}

// selection finds queues by label and place.
type selection struct {
	e       *Estate
	byLabel map[string][]int32
}

func newSelection(e *Estate) *selection {
	s := &selection{e, map[string][]int32{}}
	for i := range e.queues {
		for _, l := range e.queues[i].Labels {
			s.byLabel[l] = append(s.byLabel[l], int32(i))
		}
	}
	return s
}

// all gives the queues that any of the selectors selects, ascending.
func (s *selection) all(selectors []string) []int32 {
	var out []int32
	for _, written := range selectors {
		out = append(out, s.one(written)...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func (s *selection) one(written string) []int32 {
	sel, err := estate.ParseSelector(written)
	if err != nil {
		return nil // Parse has refused it
	}
	var out []int32
	switch {
	case sel.Queue != "":
		if i, ok := s.e.queueByName[sel.Queue]; ok {
			out = append(out, i)
		}
	case sel.Within != "":
		at := s.e.locByPath[sel.Within]
		for i := range s.e.queues {
			if l := s.e.queues[i].loc; l != none && s.e.under(l, at) {
				out = append(out, int32(i))
			}
		}
	default:
		for _, i := range s.byLabel[sel.Labels[0]] {
			if !slices.ContainsFunc(sel.Labels, func(l string) bool { return !slices.Contains(s.e.queues[i].Labels, l) }) {
				out = append(out, i)
			}
		}
	}
	return out
}

// index files a grant under each entry of the one kind that narrows most: people, then machines, then locations.
func (e *Estate) index(g int32) {
	gr := &e.grants[g]
	file := func(m map[string][]int32, keys []string) {
		for _, k := range keys {
			m[k] = append(m[k], g)
		}
	}
	put := func(lists [][]int32, ids []int32) {
		for _, i := range ids {
			lists[i] = append(lists[i], g)
		}
	}
	switch {
	case gr.to != nil && !gr.to.everyone:
		file(e.byUser, gr.to.users)
		put(e.toGroup, gr.to.groups)
		put(e.toUnit, gr.to.units)
	case gr.on != nil:
		file(e.byMachine, gr.on.machines)
		file(e.byHost, gr.on.hosts)
		put(e.onGroup, gr.on.groups)
		put(e.onUnit, gr.on.units)
	case gr.at != nil && len(gr.at.prefixes) == 0 && len(gr.at.ranges) == 0:
		put(e.byLoc, gr.at.locs)
	default:
		e.always = append(e.always, g)
	}
}

// A World is an estate, a directory and live state that belong together.
type World struct {
	Estate    *Estate
	Directory *directory.Directory
	Live      live.State

	groupRef []int32 // by directory.GroupID: the estate's ref, or none
	unitRef  []int32 // by directory.UnitID
}

// Bind joins the three parts; it is cheap enough to do at every change of any of them.
func Bind(e *Estate, d *directory.Directory, l live.State) *World {
	w := &World{Estate: e, Directory: d, Live: l, groupRef: make([]int32, len(d.Records().Groups)), unitRef: make([]int32, d.Units())}
	for i := range w.groupRef {
		w.groupRef[i] = none
	}
	for i := range w.unitRef {
		w.unitRef[i] = none
	}
	for i, r := range e.groups {
		if id, ok := d.GroupID(r.written); ok {
			w.groupRef[id] = int32(i)
		}
	}
	for i, r := range e.units {
		if id, ok := d.Unit(r.written); ok {
			w.unitRef[id] = int32(i)
		}
	}
	return w
}

func (w *World) groupRefs(ids []directory.GroupID, into []int32) []int32 {
	for _, id := range ids {
		if r := w.groupRef[id]; r != none {
			into = append(into, r)
		}
	}
	return into
}

func (w *World) unitRefs(id directory.UnitID, into []int32) []int32 {
	for ; id != directory.NoUnit; id = w.Directory.UnitAbove(id) {
		if r := w.unitRef[id]; r != none {
			into = append(into, r)
		}
	}
	return into
}

// Selecting names the grants that select a queue, by name.
func (e *Estate) Selecting(queue string) []string {
	out := []string{}
	if i, ok := e.queueByName[queue]; ok {
		for _, g := range e.queues[i].givers {
			out = append(out, e.grants[g].Name)
		}
	}
	return out
}
