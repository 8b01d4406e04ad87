package server

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/words"
)

// A Plan is all that a server is to have, by the names there, and what of the estate it cannot be given.
type Plan struct {
	Wants  []Want
	Points []Point
}

// Wanted works out what a kept server is to have at a time: every queue that is not retired then and has a path through
// the server, or through a set of which it is a member. A server that is not kept is to have nothing.
func Wanted(doc *estate.Document, d *directory.Directory, called string, at time.Time, of Zone) Plan {
	return NewPlanner(doc, d).Wanted(called, at, of)
}

// A Planner works out what one server after another is to have, at a cost of that server's queues alone. It remembers
// for whom queues are, and is not for several goroutines at once.
type Planner struct {
	index
	permits *permits
	through map[string][]int          // by server, the queues with a path through it, as places in the document
	keepers map[string]*estate.Server // by machine, folded and bare
}

// NewPlanner gives one for an estate as it meets a directory.
func NewPlanner(doc *estate.Document, d *directory.Directory) *Planner {
	p := &Planner{index: newIndex(doc), permits: newPermits(d), through: map[string][]int{},
		keepers: map[string]*estate.Server{}}
	members := make(map[string][]string, len(doc.ServerSets))
	for _, s := range doc.ServerSets {
		members[s.Name] = s.Members
	}
	for i, q := range doc.Queues {
		note := func(server string) {
			if list := p.through[server]; len(list) == 0 || list[len(list)-1] != i {
				p.through[server] = append(list, i)
			}
		}
		for _, path := range q.Paths {
			if path.Server != "" {
				note(path.Server)
			}
			for _, m := range members[path.Set] {
				note(m)
			}
		}
	}
	for i := range doc.Servers {
		s := &doc.Servers[i]
		m := keeperOf(s)
		if s.Kept && (p.keepers[m] == nil || s.Name < p.keepers[m].Name) {
			p.keepers[m] = s
		}
	}
	return p
}

// Wanted is as the function of that name, in the planner's estate.
func (from *Planner) Wanted(called string, at time.Time, of Zone) Plan {
	p := planning{Planner: from, taken: map[string]string{}}
	s := from.doc.Server(called)
	if s == nil || !s.Kept {
		return p.Plan
	}
	p.server = s
	sets := p.setsOf(s.Name)
	if other := from.keepers[keeperOf(s)]; other.Name != s.Name {
		p.point(Point{Kind: "keeper", Says: fmt.Sprintf("%s keeps %s, and one machine keeps one server: %s is kept by "+
			"nobody", s.KeptBy(), other.Name, s.Name), Fix: "name another machine, or leave out kept"})
		return p.Plan
	}
	for _, i := range from.through[s.Name] {
		q := &from.doc.Queues[i]
		if q.Retired || p.timesOf(q).Over(at, of) {
			continue
		}
		for _, there := range namesOn(q, s.Name, sets) {
			p.queue(q, there)
		}
	}
	slices.SortFunc(p.Wants, func(a, b Want) int { return cmp.Compare(a.Name, b.Name) })
	SortPoints(p.Points)
	return p.Plan
}

// keeperOf is the machine that keeps a server, as it is compared.
func keeperOf(s *estate.Server) string { return name.BareMachine(name.Fold(s.KeptBy())) }

// Keeping gives the server that a machine keeps: of several the first by name; nil for none.
func Keeping(doc *estate.Document, machine string) *estate.Server {
	var out *estate.Server
	for i := range doc.Servers {
		s := &doc.Servers[i]
		if s.Kept && keeperOf(s) == name.BareMachine(name.Fold(machine)) && (out == nil || s.Name < out.Name) {
			out = s
		}
	}
	return out
}

// NamesOn lists the names that a queue has on a server, by its paths, in their order.
func NamesOn(doc *estate.Document, q *estate.Queue, server string) []string {
	return namesOn(q, server, newIndex(doc).setsOf(server))
}

func namesOn(q *estate.Queue, server string, sets map[string]bool) []string {
	var out []string
	for _, p := range q.Paths {
		if p.Server != server && !sets[p.Set] {
			continue
		}
		if there := cmp.Or(p.RemoteName, q.Name); !slices.Contains(out, there) {
			out = append(out, there)
		}
	}
	return out
}

// An index finds objects of an estate by name.
type index struct {
	doc       *estate.Document
	locations map[string]*estate.Location
	devices   map[string]*estate.Device
	drivers   map[string]*estate.Driver
}

func newIndex(doc *estate.Document) index {
	x := index{doc, make(map[string]*estate.Location, len(doc.Locations)),
		make(map[string]*estate.Device, len(doc.Devices)), make(map[string]*estate.Driver, len(doc.Drivers))}
	for i := range doc.Locations {
		x.locations[doc.Locations[i].Path] = &doc.Locations[i]
	}
	for i := range doc.Devices {
		x.devices[doc.Devices[i].Name] = &doc.Devices[i]
	}
	for i := range doc.Drivers {
		x.drivers[doc.Drivers[i].Name] = &doc.Drivers[i]
	}
	return x
}

// setsOf are the sets of which a server is a member.
func (x index) setsOf(server string) map[string]bool {
	out := map[string]bool{}
	for _, s := range x.doc.ServerSets {
		if slices.Contains(s.Members, server) {
			out[s.Name] = true
		}
	}
	return out
}

// timesOf are a queue's times, by the clock of its site.
func (x index) timesOf(q *estate.Queue) Times {
	t := Times{Paused: q.Paused, Open: q.Open, Until: q.Until}
	if l := x.locations[estate.Site(q.Location)]; l != nil {
		t.Zone = l.Timezone
	}
	return t
}

// A planning is under way for one server.
type planning struct {
	Plan
	*Planner

	server *estate.Server
	taken  map[string]string // names on the server, folded, with the queue that has each
}

func (p *planning) point(x Point) { p.Points = append(p.Points, x) }

// queue adds one under a name.
func (p *planning) queue(q *estate.Queue, there string) {
	point := func(kind, fix, format string, args ...any) {
		p.point(Point{Kind: kind, Queue: q.Name, Name: there, Says: fmt.Sprintf(format, args...), Fix: fix})
	}
	if other, taken := p.taken[name.Fold(there)]; taken {
		point("name", "give one of the two another remote_name", "%s and %s would both be called %q on %s: it has the first "+
			"alone", other, q.Name, there, p.server.Name)
		return
	}
	p.taken[name.Fold(there)] = q.Name
	if says := badName(there, p.server.RunsOn()); says != "" {
		point("name", "give its path another remote_name", "%s cannot be called %q on %s: %s", q.Name, there, p.server.Name,
			says)
		return
	}
	w := Want{Name: there, Queue: q.Name, Comment: cmp.Or(q.Title, q.Name), Options: q.Defaults, Times: p.timesOf(q)}
	w.Place = estate.InWords(q.Location, func(at string) *estate.Location { return p.locations[at] })
	if q.Units.Some() {
		w.Units = q.Units
	}
	p.leads(q, &w, point)
	if len(w.Devices) == 0 {
		return
	}
	p.driver(q, &w, point)
	p.running(q, &w)
	var more string
	var unknown []string
	if w.People, more, unknown = p.permits.people(q.Access); more != "" {
		p.point(Point{Kind: "people", Queue: q.Name, Name: there, More: true, Says: fmt.Sprintf("%s lets more people print "+
			"to %s than the estate: %s", p.server.Name, q.Name, more), Fix: "name people, groups or units of people, or " +
			"lead the queue through the gateway, which knows where people are"})
	}
	if knowsBare(p.server.RunsOn()) {
		p.bare(q, &w)
	}
	if len(unknown) > 0 {
		point("unknown-people", "mend the names, or have the directory list them", "the directory does not know %s, so %s "+
			"does not let them print to %s", words.Few(unknown, 5), p.server.Name, q.Name)
	}
	p.Wants = append(p.Wants, w)
}

// bare names people as the server's spooler knows them.
func (p *planning) bare(q *estate.Queue, w *Want) {
	people, others := p.permits.bared(w.People)
	if w.People = people; len(others) == 0 {
		return
	}
	says := "%s lets more people print to %s than the estate: it knows people by what stands before the @, and so %s, too"
	if people.Everyone {
		says = "%s refuses more people at %s than the estate: it knows people by what stands before the @, and so %s, too"
	}
	p.point(Point{Kind: "people", Queue: q.Name, Name: w.Name, More: !people.Everyone, Says: fmt.Sprintf(says,
		p.server.Name, q.Name, words.Few(others, 5)), Fix: "lead the queue through the gateway, which knows whole names"})
}

// leads it to its devices.
func (p *planning) leads(q *estate.Queue, w *Want, point func(kind, fix, format string, args ...any)) {
	for _, called := range q.Devices {
		d := p.devices[called]
		switch {
		case d == nil:
		case d.Machine != "" && name.BareMachine(name.Fold(d.Machine)) != name.BareMachine(name.Fold(p.server.KeptBy())):
			point("plugged-in", "let that machine print to it directly", "%s is plugged into %s, and %s cannot lead there",
				called, d.Machine, p.server.Name)
		default:
			w.Devices = append(w.Devices, d.URI)
		}
	}
	if len(w.Devices) == 0 && len(q.Devices) == 0 {
		point("no-device", "name its device", "%s has no device, so there is nothing to which %s could lead", q.Name,
			p.server.Name)
	}
	if len(w.Devices) > 1 && !hasClasses(p.server.RunsOn()) {
		point("members", "let a server of another platform keep it, or lead it through the gateway",
			"%s has %s, and %s has no classes of queues: it leads to the first alone", q.Name, words.Count(len(w.Devices),
				"device"), p.server.Name)
		w.Devices = w.Devices[:1]
	}
}

// driver chooses its driver by the server's platform.
func (p *planning) driver(q *estate.Queue, w *Want, point func(kind, fix, format string, args ...any)) {
	if q.OnServers != nil && q.OnServers.Render == estate.RenderClient {
		return
	}
	w.Driver = estate.Driverless
	if len(q.Drivers) == 0 {
		return
	}
	platform := p.server.RunsOn()
	system, _, _ := strings.Cut(platform, "/")
	for _, key := range []string{platform, system, "*"} {
		called, ok := q.Drivers[key]
		if ok && called == estate.Driverless {
			return
		}
		if d := p.drivers[called]; ok && d != nil && (d.Platform == platform || d.Platform == system) {
			w.Driver, w.Exact = d.Name, d.Exact
			return
		}
	}
	w.Driver = ""
	point("driver", fmt.Sprintf("give the queue a driver for %s, or \"*\": driverless", platform),
		"none of the drivers of %s fits %s, the platform of %s: what it takes is passed on as it is", q.Name, platform,
		p.server.Name)
}

// running is how the server is to run it.
func (p *planning) running(q *estate.Queue, w *Want) {
	o := q.OnServers
	if o == nil {
		return
	}
	w.Comment = cmp.Or(o.Comment, w.Comment)
	w.Running = Running{Finished: o.Finished, ColourProfile: o.ColourProfile}
	if o.Mismatch == estate.PrintMismatch {
		w.Mismatch = o.Mismatch
	}
	if o.Order == estate.Shortest {
		w.Order = o.Order
	}
}

// badName says what is wrong with a queue's name for the spooler of a platform; "" where nothing is.
func badName(there, platform string) string {
	if strings.HasPrefix(platform, "windows") {
		if strings.ContainsAny(there, `\,!`) {
			return `its spooler takes no backslash, comma or exclamation mark in names`
		}
		return ""
	}
	if strings.ContainsFunc(there, func(r rune) bool { return r <= ' ' || r == 0x7f || r == '/' || r == '#' }) {
		return "its spooler takes no space, slash or # in names"
	}
	if len(there) > mostUnixName {
		return fmt.Sprintf("its spooler takes names of up to %d bytes", mostUnixName)
	}
	return ""
}

// mostUnixName leaves room for what names of members end in.
const mostUnixName = 120

// hasClasses says whether a platform's spooler shares jobs among queues.
func hasClasses(platform string) bool { return !strings.HasPrefix(platform, "windows") }
