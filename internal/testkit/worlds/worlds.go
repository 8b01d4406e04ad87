// Package worlds makes random worlds that are small enough to collide: few names, few places, many rules. For tests.
package worlds

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/name"
)

// New makes a maker; the same seed makes the same worlds.
func New(seed uint64) Maker { return Maker{rand.New(rand.NewPCG(seed, 7))} }

// A Maker makes random worlds that are small enough to collide: few names, few places, many rules.
type Maker struct{ *rand.Rand }

// One takes one of a list.
func (m Maker) One(list ...string) string { return list[m.IntN(len(list))] }

// Maybe is true with a probability.
func (m Maker) Maybe(p float64) bool { return m.Float64() < p }

func (m Maker) some(from []string, p float64) []string {
	if !m.Maybe(p) {
		return nil
	}
	out := []string{}
	for range 1 + m.IntN(3) {
		if s := from[m.IntN(len(from))]; !contains(out, s) {
			out = append(out, s)
		}
	}
	return out
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

var (
	users     = []string{"Mira", "jonas", "ida", "temp", "nobody"}
	machines  = []string{"desk-1", "Desk-2", "till-1", "till-2", "kiosk"}
	groups    = []string{"clerks", "Ticketing", "front", "desks", "ghosts"}
	unitPaths = []string{"staff", "staff/harbour", "staff/harbour/booking", "machines", `staff/a\/b`, "elsewhere"}
	places    = []string{"ard", "ard/quay", "ard/quay/1", "ard/quay/2", "ard/yard", "bran", "bran/hut"}
	platforms = []string{"windows/x64", "windows/arm64", "linux/x64", "macos/arm64"}
	labels    = []string{"mono", "a4", "colour"}
	prefixes  = []string{"10.0.0.0/8", "10.1.0.0/16", "10.1.2.0/24", "10.2.0.0/16", "fd00::/8", "fd00:1::/32"}
	ranges    = []string{"10.1.2.3-10.1.2.9", "10.0.0.0-10.1.255.255", "fd00::1-fd00:2::"}
	addresses = []string{"10.1.2.3", "10.1.2.10", "10.2.0.1", "10.9.9.9", "192.0.2.1", "fd00:1::5", "fd00:2::",
		"::ffff:10.1.2.9"}
)

func prefixed(kind string, names []string) []string {
	var out []string
	for _, n := range names {
		out = append(out, kind+":"+n)
	}
	return out
}

func concat(lists ...[]string) []string {
	var out []string
	for _, l := range lists {
		out = append(out, l...)
	}
	return out
}

var (
	toEntries = concat([]string{"everyone"}, prefixed("user", users), prefixed("group", groups),
		prefixed("unit", unitPaths))
	onEntries = concat(prefixed("machine", machines), prefixed("host", machines), prefixed("group", groups),
		prefixed("unit", unitPaths))
	atEntries  = concat(prefixed("location", places), prefixed("subnet", prefixes), prefixed("range", ranges))
	anyEntries = concat(toEntries, onEntries, atEntries)
)

// Estate makes a valid estate.
func (m Maker) Estate() *estate.Document {
	d := &estate.Document{Estate: 1}
	for _, p := range places {
		if p == "ard" || m.Maybe(0.9) {
			d.Locations = append(d.Locations, estate.Location{Path: p})
		}
	}
	d.Locations = append(d.Locations, estate.Location{Path: "ard/quay/1"}, estate.Location{Path: "ard/quay/2"},
		estate.Location{Path: "ard/yard"}, estate.Location{Path: "bran/hut"})
	d.Locations = uniqueLocations(d.Locations)
	for i, l := range d.Locations {
		if l.Path == "ard" || l.Path == "bran" {
			d.Locations[i].Timezone = m.One("", "Europe/Oslo", "Australia/Lord_Howe")
		}
	}
	for _, p := range prefixes {
		if m.Maybe(0.6) {
			d.Subnets = append(d.Subnets, estate.Subnet{CIDR: netip.MustParsePrefix(p), Location: m.One(places...)})
		}
	}
	for i, n := range []string{"till-1", "till-2", "kiosk"} {
		s := estate.Station{Name: n}
		if m.Maybe(0.6) {
			s.Addresses = []netip.Addr{netip.MustParseAddr(addresses[i*2])}
		}
		if m.Maybe(0.5) {
			s.Location = m.One(places...)
		}
		d.Stations = append(d.Stations, s)
	}
	for i, p := range []string{"windows", "windows/x64", "linux/x64", "macos"} {
		d.Drivers = append(d.Drivers, estate.Driver{Name: fmt.Sprintf("d%d", i), Exact: fmt.Sprintf("Skerrymark %d PCL6", i),
			Platform: p})
	}
	root := "q/"
	d.Servers = []estate.Server{{Name: "s0", URI: "ipp://s0.example/"}, {Name: "s1", URI: "ipp://s1.example/",
		QueueRoot: &root}}
	for i := range d.Servers {
		m.keeps(&d.Servers[i])
	}
	d.ServerSets = []estate.ServerSet{{Name: "t0", Style: estate.Standby, Members: []string{"s1", "s0"}},
		{Name: "t1", Style: estate.Spread, Members: []string{"s0", "s1"}}}
	for i := range 3 {
		d.Devices = append(d.Devices, estate.Device{Name: fmt.Sprintf("p%d", i),
			URI: fmt.Sprintf("ipp://10.0.0.%d/ipp/print", i)})
	}
	if m.Maybe(0.3) {
		d.Devices[2].URI, d.Devices[2].Machine = "usb://Skerrymark/Slip%203?serial=SK-3", m.One(machines...)
	}
	for i := range 2 + m.IntN(6) {
		d.Queues = append(d.Queues, m.queue(i))
	}
	for i := range m.IntN(9) {
		d.Grants = append(d.Grants, m.grant(i, len(d.Queues)))
	}
	m.Shuffle(len(d.Grants), func(i, j int) { d.Grants[i], d.Grants[j] = d.Grants[j], d.Grants[i] })
	m.jobs(d)
	return d
}

func uniqueLocations(list []estate.Location) []estate.Location {
	var out []estate.Location
	seen := map[string]bool{}
	for _, l := range list {
		if !seen[l.Path] {
			out = append(out, l)
		}
		seen[l.Path] = true
	}
	return out
}

func (m Maker) queue(i int) estate.Queue {
	q := estate.Queue{Name: fmt.Sprintf("q%d", i), Labels: m.some(labels, 0.7), Paused: m.Maybe(0.2),
		Retired: m.Maybe(0.1)}
	if m.Maybe(0.5) {
		q.Title = "Queue " + q.Name
	}
	if m.Maybe(0.3) {
		q.Formerly = []string{"old-" + q.Name}
	}
	if m.Maybe(0.8) {
		q.Location = m.One(places...)
	}
	q.Devices = []string{"p0", "p1", "p2"}[:1+m.IntN(3)]
	for range m.IntN(4) {
		p := estate.Path{At: m.some(atEntries, 0.3), Sessions: m.some(estate.Sessions(), 0.2)}
		switch m.IntN(4) {
		case 0:
			p.Device = m.One(q.Devices...)
		case 1, 2:
			if p.Server = m.One("s0", "s1", ""); p.Server == "" {
				p.Set = m.One("t0", "t1")
			}
			if m.Maybe(0.5) {
				p.RemoteName = "Hall Mono"
			}
		default:
			p.Gateway = true
		}
		q.Paths = append(q.Paths, p)
	}
	if m.Maybe(0.6) {
		q.Drivers = map[string]string{}
		for range 1 + m.IntN(3) {
			q.Drivers[m.One("windows/x64", "windows", "linux/x64", "macos", "*")] = m.One("d0", "d1", "d2", "d3", "driverless")
		}
	}
	if m.Maybe(0.5) {
		q.Defaults = map[string]any{"sides": "one-sided"}
	}
	q.Open, q.Until = m.windows(0.3), m.until(0.1)
	if m.Maybe(0.08) {
		q.Purpose = m.One(estate.Practice, estate.Helper)
	}
	if m.Maybe(0.4) {
		q.Access = &estate.Access{Allow: m.some(anyEntries, 0.6), Deny: m.some(anyEntries, 0.4)}
	}
	m.onServers(&q)
	return q
}

// until makes an end about the times at which worlds are asked.
func (m Maker) until(p float64) string {
	if !m.Maybe(p) {
		return ""
	}
	return m.One("2026-11-20", "2026-11-23", "2026-11-27", "2026-12-03", "2026-11-23T12:00:00+01:00",
		"2026-11-26T00:30:00Z", "2027-01-01")
}

func (m Maker) windows(p float64) []estate.Window {
	if !m.Maybe(p) {
		return nil
	}
	var out []estate.Window
	for range 1 + m.IntN(2) {
		clocks := []string{"00:00", "08:00", "12:00", "18:30", "23:00"}
		out = append(out, estate.Window{Days: m.some([]string{"mon", "tue", "wed", "sat", "sun"}, 0.6),
			From: m.One(clocks...), To: m.One(clocks...)})
	}
	return out
}

func (m Maker) grant(i, queues int) estate.Grant {
	var selectors []string
	for q := range queues {
		selectors = append(selectors, fmt.Sprintf("q%d", q))
	}
	selectors = concat(selectors, prefixed("label", labels), prefixed("within", places), []string{"label:mono+a4"})
	g := estate.Grant{Name: fmt.Sprintf("g%d", i), Effect: estate.Effect(m.One("place", "place", "offer", "withhold")),
		Queues: m.some(selectors, 1),
		To:     m.some(toEntries, 0.5), On: m.some(onEntries, 0.25), At: m.some(atEntries, 0.35),
		Except:   m.some(anyEntries, 0.2),
		Sessions: m.some(estate.Sessions(), 0.2), Platforms: m.some(append(platforms, "windows", "linux"), 0.2),
		Insist: m.Maybe(0.2)}
	if g.Effect != estate.Withhold && m.Maybe(0.5) {
		g.Default = 1 + m.IntN(3)
	}
	if g.Effect != estate.Withhold && m.Maybe(0.3) {
		g.Nearest = 1 + m.IntN(3)
	}
	g.Open, g.Until = m.windows(0.25), m.until(0.15)
	if m.Maybe(0.4) {
		g.IfRemoved = estate.IfRemoved(m.One("leave", "restore"))
	}
	return g
}

// Directory makes a directory.
func (m Maker) Directory() directory.Records {
	var r directory.Records
	for _, u := range users[:4] {
		r.Users = append(r.Users, directory.User{Name: m.caseOf(u), Unit: m.One(append(unitPaths, "",
			"staff/harbour/booking/desk")...)})
	}
	for _, n := range machines[:3] {
		r.Machines = append(r.Machines, directory.Machine{Name: m.caseOf(n), Unit: m.One(append(unitPaths, "")...),
			Location: m.One("", "", "ard/quay", "bran/hut", "nowhere")})
	}
	members := concat(prefixed("user", users), prefixed("machine", machines), prefixed("group", groups))
	for _, g := range groups[:4] {
		r.Groups = append(r.Groups, directory.Group{Name: m.caseOf(g), Members: m.some(members, 0.9)})
	}
	return r
}

// caseOf changes the case of a letter or two: names are compared folded.
func (m Maker) caseOf(s string) string {
	b := []byte(s)
	for i, c := range b {
		if 'a' <= c && c <= 'z' && m.Maybe(0.2) {
			b[i] = c - 'a' + 'A'
		}
	}
	return string(b)
}

// Live makes a live state with picks.
func (m Maker) Live() live.State {
	s := live.State{Servers: map[string]live.Duty{}, Devices: map[string]live.Duty{}}
	for _, n := range []string{"s0", "s1"} {
		s.Servers[n] = live.Duty(m.One("serving", "serving", "down", "drained"))
	}
	if m.Maybe(0.3) {
		s.Shares = map[string]float64{m.One("s0", "s1"): 0.5}
	}
	for _, n := range []string{"p0", "p1", "p2"} {
		s.Devices[n] = live.Duty(m.One("serving", "serving", "serving", "down", "drained"))
	}
	if m.Maybe(0.4) { // some servers were read, and lack queues
		s.Lists = map[string]*live.List{}
		for _, n := range []string{"s0", "s1"} {
			if m.Maybe(0.7) {
				s.Lists[n] = live.NewList(time.Time{}, time.Time{}, m.some([]string{"q0", "q1", "q2", "Hall Mono", "other"}, 0.7))
			}
		}
	}
	s.Picks = map[string][]string{}
	for _, u := range users {
		s.Picks[name.Fold(u)] = m.some([]string{"q0", "q1", "q2", "old-q1", "gone"}, 0.6)
	}
	return s
}

// Query makes a question.
func (m Maker) Query() lineup.Query {
	var q lineup.Query
	set := func(p float64, list []string) *string {
		if !m.Maybe(p) {
			return nil
		}
		s := m.caseOf(m.One(list...))
		return &s
	}
	q.User, q.Machine, q.Addresses = set(0.8, users), set(0.5, machines), m.some(addresses, 0.6)
	session := m.One(estate.Sessions()...)
	q.Session = &session
	if session == "remote" || session == "virtual" {
		q.Host = set(0.6, machines)
	}
	if m.Maybe(0.7) {
		p := m.One(platforms...)
		q.Platform = &p
	}
	if m.Maybe(0.15) {
		l := m.One("ard", "ard/quay/2", "bran/hut")
		q.Location = &l
	}
	if q.User == nil && q.Machine == nil && len(q.Addresses) == 0 {
		q.User = &users[0]
	}
	return q
}
