package lineup

import (
	"cmp"
	"slices"

	"cirque/core/estate"
	"cirque/core/hours"
	"cirque/core/path"
)

// queue keeps what every answer reads close together, in front; the first path, which is mostly the one that is taken,
// lies here and not behind a pointer.
type queue struct {
	loc, zone       int32
	paths           int32 // how many
	retired, paused bool
	waits           bool  // jobs outside its hours, at the gateway
	aside           bool  // it has a purpose besides people's work, and is never the default
	ends            int32 // the number of its end among the hours, or none
	first           way
	fits            *fits // nil: always driverless
	access          *access
	open            *hours.Week
	entries         []ready // one for each path, of a set one for each member
	*estate.Queue
	*queueRest
}

// ready is what an entry has from its queue and path alone.
type ready struct {
	queue   string
	title   *string
	path    Taken
	options map[string]any
	wire    *wire
}

// queueRest is what few answers read of a queue.
type queueRest struct {
	others  []way // the paths after the first
	ways    []fullWay
	drivers []choice // by key
}

// path gives a path by its number.
func (q *queue) path(i int) *way {
	if i == 0 {
		return &q.first
	}
	return &q.others[i-1]
}

// fits is the chosen driver by platform, none for driverless, or noDriver.
type fits [platformCount + 1]int16

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
	wayDevice   wayKind = iota
	wayAttached         // a device that is plugged into a machine, and serves nobody elsewhere
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

// compileQueues compiles every queue, or takes it over where means says that what it leads through is the same. It says
// whether grants' selections still select the same numbers.
func (c *compiler) compileQueues(old *Estate, means bool) (same bool) {
	e := c.e
	e.queues, e.queueNames = make([]queue, len(e.doc.Queues)), make([]string, len(e.doc.Queues))
	same = len(e.doc.Queues) == len(old.doc.Queues)
	at := 0
	for i := range e.doc.Queues {
		q := &e.doc.Queues[i]
		e.queueByName[q.Name], e.queueNames[i] = int32(i), q.Name
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

// ForPractice says whether a queue is for teaching and tests, and counts nowhere.
func (e *Estate) ForPractice(called string) bool {
	i, ok := e.queueByName[called]
	return ok && e.queues[i].Purpose == estate.Practice
}

func (c *compiler) queue(q *estate.Queue) queue {
	e := c.e
	out := queue{Queue: q, queueRest: &queueRest{}, loc: none, retired: q.Retired, paused: q.Paused,
		aside: q.Purpose != "", waits: q.WaitsOutsideHours(),
		ends: c.e.refs.week(nil, q.Until)}
	if w := week(q.Open); w != nil {
		out.open = &w
	}
	if q.Location != "" {
		out.loc = e.tree.byPath[q.Location]
		out.zone = e.tree.locs[out.loc].zone
	}
	entry := ready{queue: q.Name, options: q.Defaults}
	if q.Title != "" {
		text := q.Title // of its own, so that the entry does not keep the whole document
		entry.title = &text
	}
	if entry.options == nil {
		entry.options = map[string]any{}
	}
	made := wire{wireHead(entry.queue, entry.title), nil, wireOptions(entry.options), q.Units.InWords() + q.Location}
	for _, p := range q.Paths {
		c.way(p, &out, entry, made)
	}
	for key, d := range q.Drivers {
		out.drivers = append(out.drivers, choice{key, c.drivers[d]})
	}
	slices.SortFunc(out.drivers, func(a, b choice) int { return cmp.Compare(a.key, b.key) })
	if len(out.drivers) > 0 {
		var by fits
		for i := range by {
			by[i] = int16(e.driverFor(out.drivers, platformName(i)))
		}
		if out.fits = c.fits[by]; out.fits == nil {
			out.fits = &by
			c.fits[by] = out.fits
		}
	}
	if q.Access != nil {
		out.access = &access{c.cond(q.Access.Allow), c.cond(q.Access.Deny)}
	}
	return out
}

// way adds a path to a queue, with an entry for everywhere that it may lead.
func (c *compiler) way(p estate.Path, q *queue, entry ready, made wire) {
	w := fullWay{Way: path.Of(p, q.Name, c.book)}
	short := way{at: c.cond(p.At), sessions: sessionBits(p.Sessions), first: int32(len(q.entries)), through: none}
	to := func(t Taken) {
		entry.path = t
		w := made
		w.path = wirePath(t)
		entry.wire = &w
		q.entries = append(q.entries, entry)
	}
	switch t := (Taken{Through: w.Through, URI: w.URI}); w.Through {
	case path.Device:
		short.kind, short.through = wayDevice, c.devices[w.Device]
		if c.e.plugged[short.through] != "" {
			short.kind = wayAttached
		}
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
	if q.paths++; q.paths == 1 {
		q.first = short
	} else {
		q.others = append(q.others, short)
	}
	q.ways = append(q.ways, w)
}
