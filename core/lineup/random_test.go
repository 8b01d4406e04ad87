package lineup_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
)

// maker makes random worlds that are small enough to collide: few names, few places, many rules.
type maker struct{ *rand.Rand }

func (m maker) one(list ...string) string { return list[m.IntN(len(list))] }
func (m maker) maybe(p float64) bool      { return m.Float64() < p }

func (m maker) some(from []string, p float64) []string {
	if !m.maybe(p) {
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
	addresses = []string{"10.1.2.3", "10.1.2.10", "10.2.0.1", "10.9.9.9", "192.0.2.1", "fd00:1::5", "fd00:2::", "::ffff:10.1.2.9"}
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
	toEntries  = concat([]string{"everyone"}, prefixed("user", users), prefixed("group", groups), prefixed("unit", unitPaths))
	onEntries  = concat(prefixed("machine", machines), prefixed("host", machines), prefixed("group", groups), prefixed("unit", unitPaths))
	atEntries  = concat(prefixed("location", places), prefixed("subnet", prefixes), prefixed("range", ranges))
	anyEntries = concat(toEntries, onEntries, atEntries)
)

func (m maker) estate() *estate.Document {
	d := &estate.Document{Estate: 1}
	for _, p := range places {
		if p == "ard" || m.maybe(0.9) {
			d.Locations = append(d.Locations, estate.Location{Path: p})
		}
	}
	d.Locations = append(d.Locations, estate.Location{Path: "ard/quay/1"}, estate.Location{Path: "ard/quay/2"}, estate.Location{Path: "ard/yard"}, estate.Location{Path: "bran/hut"})
	d.Locations = uniqueLocations(d.Locations)
	for _, p := range prefixes {
		if m.maybe(0.6) {
			d.Subnets = append(d.Subnets, estate.Subnet{CIDR: netip.MustParsePrefix(p), Location: m.one(places...)})
		}
	}
	for i, n := range []string{"till-1", "till-2", "kiosk"} {
		s := estate.Station{Name: n}
		if m.maybe(0.6) {
			s.Addresses = []netip.Addr{netip.MustParseAddr(addresses[i*2])}
		}
		if m.maybe(0.5) {
			s.Location = m.one(places...)
		}
		d.Stations = append(d.Stations, s)
	}
	for i, p := range []string{"windows", "windows/x64", "linux/x64", "macos"} {
		d.Drivers = append(d.Drivers, estate.Driver{Name: fmt.Sprintf("d%d", i), Exact: fmt.Sprintf("Skerrymark %d PCL6", i), Platform: p})
	}
	root := "q/"
	d.Servers = []estate.Server{{Name: "s0", URI: "ipp://s0.example/"}, {Name: "s1", URI: "ipp://s1.example/", QueueRoot: &root}}
	for i := range 3 {
		d.Devices = append(d.Devices, estate.Device{Name: fmt.Sprintf("p%d", i), URI: fmt.Sprintf("ipp://10.0.0.%d/ipp/print", i)})
	}
	for i := range 2 + m.IntN(6) {
		d.Queues = append(d.Queues, m.queue(i))
	}
	for i := range m.IntN(9) {
		d.Grants = append(d.Grants, m.grant(i, len(d.Queues)))
	}
	m.Shuffle(len(d.Grants), func(i, j int) { d.Grants[i], d.Grants[j] = d.Grants[j], d.Grants[i] })
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

func (m maker) queue(i int) estate.Queue {
	q := estate.Queue{Name: fmt.Sprintf("q%d", i), Labels: m.some(labels, 0.7), Paused: m.maybe(0.2), Retired: m.maybe(0.1)}
	if m.maybe(0.5) {
		q.Title = "Queue " + q.Name
	}
	if m.maybe(0.3) {
		q.Formerly = []string{"old-" + q.Name}
	}
	if m.maybe(0.8) {
		q.Location = m.one(places...)
	}
	q.Devices = []string{"p0", "p1", "p2"}[:1+m.IntN(3)]
	for range m.IntN(4) {
		p := estate.Path{At: m.some(atEntries, 0.3), Sessions: m.some(estate.Sessions(), 0.2)}
		switch m.IntN(3) {
		case 0:
			p.Device = m.one(q.Devices...)
		case 1:
			p.Server = m.one("s0", "s1")
			if m.maybe(0.5) {
				p.RemoteName = "Hall Mono"
			}
		default:
			p.Gateway = true
		}
		q.Paths = append(q.Paths, p)
	}
	if m.maybe(0.6) {
		q.Drivers = map[string]string{}
		for range 1 + m.IntN(3) {
			q.Drivers[m.one("windows/x64", "windows", "linux/x64", "macos", "*")] = m.one("d0", "d1", "d2", "d3", "driverless")
		}
	}
	if m.maybe(0.5) {
		q.Defaults = map[string]any{"sides": "one-sided"}
	}
	if m.maybe(0.4) {
		q.Access = &estate.Access{Allow: m.some(anyEntries, 0.6), Deny: m.some(anyEntries, 0.4)}
	}
	return q
}

func (m maker) grant(i, queues int) estate.Grant {
	var selectors []string
	for q := range queues {
		selectors = append(selectors, fmt.Sprintf("q%d", q))
	}
	selectors = concat(selectors, prefixed("label", labels), prefixed("within", places), []string{"label:mono+a4"})
	g := estate.Grant{Name: fmt.Sprintf("g%d", i), Effect: estate.Effect(m.one("place", "place", "offer", "withhold")), Queues: m.some(selectors, 1),
		To: m.some(toEntries, 0.5), On: m.some(onEntries, 0.25), At: m.some(atEntries, 0.35), Except: m.some(anyEntries, 0.2),
		Sessions: m.some(estate.Sessions(), 0.2), Platforms: m.some(append(platforms, "windows", "linux"), 0.2), Insist: m.maybe(0.2)}
	if g.Effect != estate.Withhold && m.maybe(0.5) {
		g.Default = 1 + m.IntN(3)
	}
	if m.maybe(0.4) {
		g.IfRemoved = estate.IfRemoved(m.one("leave", "restore"))
	}
	return g
}

func (m maker) directory() directory.Records {
	var r directory.Records
	for _, u := range users[:4] {
		r.Users = append(r.Users, directory.User{Name: m.caseOf(u), Unit: m.one(append(unitPaths, "", "staff/harbour/booking/desk")...)})
	}
	for _, n := range machines[:3] {
		r.Machines = append(r.Machines, directory.Machine{Name: m.caseOf(n), Unit: m.one(append(unitPaths, "")...), Location: m.one("", "", "ard/quay", "bran/hut", "nowhere")})
	}
	members := concat(prefixed("user", users), prefixed("machine", machines), prefixed("group", groups))
	for _, g := range groups[:4] {
		r.Groups = append(r.Groups, directory.Group{Name: m.caseOf(g), Members: m.some(members, 0.9)})
	}
	return r
}

// caseOf changes the case of a letter or two: names are compared folded.
func (m maker) caseOf(s string) string {
	b := []byte(s)
	for i, c := range b {
		if 'a' <= c && c <= 'z' && m.maybe(0.2) {
			b[i] = c - 'a' + 'A'
		}
	}
	return string(b)
}

func (m maker) live() live.State {
	s := live.State{Servers: map[string]live.Duty{}, Devices: map[string]live.Duty{}}
	for _, n := range []string{"s0", "s1"} {
		s.Servers[n] = live.Duty(m.one("serving", "serving", "down", "drained"))
	}
	for _, n := range []string{"p0", "p1", "p2"} {
		s.Devices[n] = live.Duty(m.one("serving", "serving", "serving", "down", "drained"))
	}
	return s
}

func (m maker) query() lineup.Query {
	var q lineup.Query
	set := func(p float64, list []string) *string {
		if !m.maybe(p) {
			return nil
		}
		s := m.caseOf(m.one(list...))
		return &s
	}
	q.User, q.Machine, q.Addresses = set(0.8, users), set(0.5, machines), m.some(addresses, 0.6)
	session := m.one(estate.Sessions()...)
	q.Session = &session
	if session == "remote" || session == "virtual" {
		q.Host = set(0.6, machines)
	}
	if m.maybe(0.7) {
		p := m.one(platforms...)
		q.Platform = &p
	}
	if m.maybe(0.15) {
		l := m.one("ard", "ard/quay/2", "bran/hut")
		q.Location = &l
	}
	if q.User == nil && q.Machine == nil && len(q.Addresses) == 0 {
		q.User = &users[0]
	}
	return q
}

// TestAgainstOracle holds Resolve against its slow twin in thousands of random worlds, and Why's verdict against both.
func TestAgainstOracle(t *testing.T) {
	t.Parallel()
	worlds := 4000
	if testing.Short() {
		worlds = 300
	}
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	entries, left := 0, map[lineup.Reason]int{}
	var scratch lineup.Scratch
	for seed := range worlds {
		m := maker{rand.New(rand.NewPCG(uint64(seed), 7))}
		doc, records, state := m.estate(), m.directory(), m.live()
		text, err := json.Marshal(doc)
		if err != nil {
			t.Fatal(err)
		}
		doc, err = estate.Parse([]document.File{{Name: "w.json", Text: string(text)}}, estate.Options{})
		if err != nil {
			t.Fatalf("world %d is refused: %v\n%v\n%s", seed, err, err, text)
		}
		w := lineup.Bind(lineup.Compile(doc, seed), directory.New(records), state)
		for range 12 {
			q := m.query()
			c, err := q.Context(now)
			if err != nil {
				t.Fatal(err)
			}
			got, err := w.Resolve(c, &scratch)
			if err != nil {
				t.Fatal(err)
			}
			o := &oracle{doc: doc, dir: records, live: state}
			o.setUp(c)
			wantEntries, wantLeft := o.resolve()
			a, _ := json.Marshal([]any{got.Entries, got.LeftOut})
			b, _ := json.Marshal([]any{wantEntries, wantLeft})
			if string(a) != string(b) {
				query, _ := json.Marshal(q)
				t.Fatalf("world %d (%s), context %s\n got %s\nwant %s\nestate %s", seed, hash(string(text)), query, a, b, text)
			}
			entries += len(got.Entries)
			for _, l := range got.LeftOut {
				left[l.Reason]++
			}
			checkWhy(t, w, c, doc, got)
		}
	}
	// A comparison of nothing with nothing proves nothing.
	if entries < worlds || len(left) != 5 {
		t.Errorf("the worlds are too dull: %d entries, left out %v", entries, left)
	}
}

func checkWhy(t *testing.T, w *lineup.World, c lineup.Context, doc *estate.Document, got *lineup.Lineup) {
	t.Helper()
	want := map[string]string{}
	for _, e := range got.Entries {
		want[e.Queue] = e.Effect
	}
	for _, l := range got.LeftOut {
		want[l.Queue] = string(l.Reason)
	}
	for _, q := range doc.Queues {
		y, err := w.Why(c, q.Name)
		if err != nil {
			t.Fatal(err)
		}
		reason, ok := want[q.Name]
		if !ok {
			reason = lineup.NotGranted
		}
		if y.Reason != reason || y.Says == "" || y.Default == "" {
			t.Fatalf("why says %q (%s) of %s, the lineup %q", y.Reason, y.Says, q.Name, reason)
		}
		for _, g := range y.Grants {
			all := true
			for _, cond := range g.Conditions {
				all = all && cond.Holds
				if held := len(cond.Held) > 0; cond.Kind != "except" && held != cond.Holds || cond.Kind == "except" && held == cond.Holds {
					t.Fatalf("condition %+v of %s contradicts itself", cond, g.Grant)
				}
			}
			if all != g.Matches {
				t.Fatalf("grant %s matches %v, its conditions say %v", g.Grant, g.Matches, all)
			}
		}
		chosen, drivers := 0, 0
		for _, p := range y.Paths {
			if p.Chosen {
				chosen++
			}
		}
		for _, d := range y.Drivers {
			if d.Chosen {
				drivers++
			}
		}
		if y.Present && chosen != 1 || drivers > 1 {
			t.Fatalf("%s: %d paths and %d drivers chosen", q.Name, chosen, drivers)
		}
	}
}
