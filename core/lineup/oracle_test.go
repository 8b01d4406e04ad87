package lineup_test

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"net/netip"
	"slices"
	"sort"
	"strings"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/path"
)

// oracle is the slow, obvious twin of Resolve: it reads estate.md top to bottom, loops over everything, and shares no
// code with it but the types of the answer.
type oracle struct {
	doc  *estate.Document
	dir  directory.Records
	live live.State

	user, machine, host string
	addrs               []netip.Addr
	loc                 string
	session, platform   string
	time                time.Time
}

func fold(a string) string { return strings.ToLower(a) } // the random worlds use ASCII

func (o *oracle) setUp(c lineup.Context) {
	o.user, o.machine, o.host, o.addrs, o.loc, o.session, o.platform, o.time = c.User, c.Machine, c.Host, c.Addresses,
		c.Location, c.Session, c.Platform, c.Time
	if o.machine == "" {
	search:
		for _, a := range o.addrs {
			for _, s := range o.doc.Stations {
				if slices.Contains(s.Addresses, a) {
					o.machine = s.Name
					break search
				}
			}
		}
	}
	if o.loc != "" {
		return
	}
	for _, m := range o.dir.Machines {
		if m.Location != "" && fold(m.Name) == fold(o.machine) {
			if o.known(m.Location) {
				o.loc = m.Location
			}
			return
		}
	}
	for _, s := range o.doc.Stations {
		if s.Location != "" && fold(s.Name) == fold(o.machine) {
			o.loc = s.Location
			return
		}
	}
	bits := -1
	for _, a := range o.addrs {
		for _, s := range o.doc.Subnets {
			if s.CIDR.Contains(a) && s.CIDR.Bits() > bits {
				bits, o.loc = s.CIDR.Bits(), s.Location
			}
		}
	}
}

func (o *oracle) known(path string) bool {
	for _, l := range o.doc.Locations {
		if pathUnder(l.Path, path) {
			return true
		}
	}
	return false
}

func pathUnder(p, top string) bool { return p == top || strings.HasPrefix(p, top+"/") }

func (o *oracle) inGroup(kind, who, group string, seen map[string]bool) bool {
	if who == "" || seen[fold(group)] {
		return false
	}
	seen[fold(group)] = true
	for _, g := range o.dir.Groups {
		if fold(g.Name) != fold(group) {
			continue
		}
		for _, m := range g.Members {
			k, n, _ := strings.Cut(m, ":")
			if k == kind && fold(n) == fold(who) || k == "group" && o.inGroup(kind, who, n, seen) {
				return true
			}
		}
	}
	return false
}

func (o *oracle) userUnit() string {
	for _, u := range o.dir.Users {
		if fold(u.Name) == fold(o.user) {
			return fold(u.Unit)
		}
	}
	return ""
}

func (o *oracle) machineUnit() string {
	for _, m := range o.dir.Machines {
		if fold(m.Name) == fold(o.machine) {
			return fold(m.Unit)
		}
	}
	return ""
}

// holds says whether an entry holds, as a condition on people ("to"), machines ("on"), or either ("any").
func (o *oracle) holds(entry, side string) bool {
	kind, v, _ := strings.Cut(entry, ":")
	people, machines := side != "on" && o.user != "", side != "to" && o.machine != ""
	switch kind {
	case "everyone":
		return people
	case "user":
		return people && fold(v) == fold(o.user)
	case "machine":
		return machines && fold(v) == fold(o.machine)
	case "host":
		return o.host != "" && fold(v) == fold(o.host)
	case "group":
		return people && o.inGroup("user", o.user, v, map[string]bool{}) || machines && o.inGroup("machine", o.machine, v,
			map[string]bool{})
	case "unit":
		return people && pathUnder(o.userUnit(), fold(v)) || machines && pathUnder(o.machineUnit(), fold(v))
	case "location":
		return o.loc != "" && pathUnder(o.loc, v)
	case "subnet":
		p := netip.MustParsePrefix(v)
		return slices.ContainsFunc(o.addrs, p.Contains)
	case "range":
		from, to, _ := strings.Cut(v, "-")
		a, b := netip.MustParseAddr(from), netip.MustParseAddr(to)
		return slices.ContainsFunc(o.addrs, func(x netip.Addr) bool {
			return x.Is4() == a.Is4() && !x.Less(a) && !b.Less(x)
		})
	}
	panic(entry)
}

func (o *oracle) some(entries []string, side string) bool {
	return slices.ContainsFunc(entries, func(e string) bool { return o.holds(e, side) })
}

func (o *oracle) matches(g estate.Grant, q estate.Queue) bool {
	if len(g.To) > 0 && !o.some(g.To, "to") || len(g.On) > 0 && !o.some(g.On, "on") || len(g.At) > 0 &&
		!o.some(g.At, "at") {
		return false
	}
	if len(g.Sessions) > 0 && !slices.Contains(g.Sessions, o.session) {
		return false
	}
	if len(g.Platforms) > 0 && !slices.ContainsFunc(g.Platforms, func(p string) bool {
		return o.platform != "" && (p == o.platform || strings.HasPrefix(o.platform, p+"/"))
	}) {
		return false
	}
	if len(g.Open) > 0 && !o.open(g.Open, q) || o.over(g.Until, q) {
		return false
	}
	return !o.some(g.Except, "any")
}

// over says whether an end lies behind by the clock of the queue's site: days are compared as they are written.
func (o *oracle) over(until string, q estate.Queue) bool {
	if until == "" {
		return false
	}
	if at, err := time.Parse(time.RFC3339, until); err == nil {
		return !o.time.Before(at)
	}
	return o.time.In(o.zone(q)).Format("2006-01-02") > until
}

// zone is the clock of a queue's site.
func (o *oracle) zone(q estate.Queue) *time.Location {
	zone := time.UTC
	for _, l := range o.doc.Locations {
		if l.Timezone != "" && l.Path == strings.Split(q.Location, "/")[0] {
			zone, _ = time.LoadLocation(l.Timezone)
		}
	}
	return zone
}

// open says whether a window is open by the clock of the queue's site, minute by minute.
func (o *oracle) open(windows []estate.Window, q estate.Queue) bool {
	t := o.time.In(o.zone(q))
	day := []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}
	now := t.Format("15:04")
	on := func(w estate.Window, d time.Weekday) bool {
		return len(w.Days) == 0 || slices.Contains(w.Days, day[(int(d)+7)%7])
	}
	for _, w := range windows {
		switch {
		case w.From < w.To:
			if on(w, t.Weekday()) && w.From <= now && now < w.To {
				return true
			}
		case on(w, t.Weekday()) && now >= w.From, on(w, t.Weekday()-1) && now < w.To:
			return true
		}
	}
	return false
}

// has says whether a server takes jobs for a queue that it would call remote: it must not be known to lack it.
func (o *oracle) has(server, remote string) bool {
	list := o.live.Lists[server]
	return o.serves(server) && (list == nil || slices.Contains(list.Queues(), remote))
}

func (o *oracle) serves(server string) bool {
	return o.live.Servers[server] != live.Down && o.live.Servers[server] != live.Drained
}

// member chooses a set's member for a queue, and says whether any can.
func (o *oracle) member(set estate.ServerSet, remote string) (string, bool) {
	key := "user:" + fold(o.user)
	if o.user == "" {
		key = "machine:" + fold(o.machine)
		if o.machine == "" {
			key = "address:" + o.addrs[0].String()
		}
	}
	best, score := "", []byte(nil)
	members := set.Members
	var admitted []string // those that take this one, where some member is returning
	for _, m := range members {
		sum := sha256.Sum256([]byte(m + "\x01" + key))
		if o.has(m, remote) && (o.live.Shares[m] == 0 || float64(binary.BigEndian.Uint64(sum[:8]))/(1<<64) < o.live.Shares[m]) {
			admitted = append(admitted, m)
		}
	}
	if len(admitted) > 0 {
		members = admitted
	}
	for _, m := range members {
		if !o.has(m, remote) {
			continue
		}
		sum := sha256.Sum256([]byte(m + "\x00" + key))
		if best == "" || set.Style == estate.Spread && (bytes.Compare(sum[:8], score) > 0 || bytes.Equal(sum[:8],
			score) && m < best) {
			best, score = m, sum[:8]
		}
	}
	if best == "" {
		return set.Members[0], false
	}
	return best, true
}

func (o *oracle) set(called string) estate.ServerSet {
	for _, s := range o.doc.ServerSets {
		if s.Name == called {
			return s
		}
	}
	return estate.ServerSet{}
}

func (o *oracle) selects(g estate.Grant, q estate.Queue) bool {
	for _, s := range g.Queues {
		kind, v, ok := strings.Cut(s, ":")
		switch {
		case !ok && (s == q.Name || slices.Contains(q.Formerly, s)):
			return true
		case kind == "within" && ok && q.Location != "" && pathUnder(q.Location, v):
			return true
		case kind == "label" && ok:
			all := true
			for _, l := range strings.Split(v, "+") {
				all = all && slices.Contains(q.Labels, l)
			}
			if all {
				return true
			}
		}
	}
	return false
}

func (o *oracle) distance(to string) *int {
	if o.loc == "" || to == "" {
		return nil
	}
	a, b := strings.Split(o.loc, "/"), strings.Split(to, "/")
	if a[0] != b[0] {
		return nil
	}
	same := 0
	for same < len(a) && same < len(b) && a[same] == b[same] {
		same++
	}
	d := len(a) - same + len(b) - same
	return &d
}

// driver gives the chosen driver for a path that is not the gateway's.
func (o *oracle) driver(q estate.Queue) (string, bool) {
	if len(q.Drivers) == 0 {
		return "driverless", true
	}
	if o.platform == "" {
		if d, ok := q.Drivers["*"]; ok {
			return d, true
		}
		var keys []string
		for k := range q.Drivers {
			keys = append(keys, k)
		}
		sort.Strings(keys)
		return q.Drivers[keys[0]], true
	}
	system := strings.Split(o.platform, "/")[0]
	for _, key := range []string{o.platform, system, "*"} {
		if d, ok := q.Drivers[key]; ok {
			if d == "driverless" {
				return d, true
			}
			for _, x := range o.doc.Drivers {
				if x.Name == d && (x.Platform == o.platform || x.Platform == system) {
					return d, true
				}
			}
		}
	}
	return "", false
}

// row is what the oracle knows of one queue on its way into the lineup.
type row struct {
	queue               estate.Queue
	giving, withholding []estate.Grant
	reason              lineup.Reason
	entry               lineup.Entry
	passed              map[string]bool
}

func grantNames(list []estate.Grant) []string {
	out := []string{}
	for _, g := range list {
		out = append(out, g.Name)
	}
	sort.Strings(out)
	return out
}

func (o *oracle) resolve() ([]lineup.Entry, []lineup.LeftOut) {
	entries, out := []lineup.Entry{}, []lineup.LeftOut{}
	weights := map[string]int{}
	var rows []*row
	for _, q := range o.doc.Queues {
		r := &row{queue: q, passed: map[string]bool{}}
		for _, g := range o.doc.Grants {
			if !o.selects(g, q) || !o.matches(g, q) {
				continue
			}
			if g.Effect == estate.Withhold {
				r.withholding = append(r.withholding, g)
			} else {
				r.giving = append(r.giving, g)
			}
		}
		if len(r.giving) > 0 {
			o.steps(r)
			rows = append(rows, r)
		}
	}
	for _, g := range o.doc.Grants {
		if g.Nearest == 0 {
			continue
		}
		var line []*row
		for _, r := range rows {
			if slices.ContainsFunc(r.giving, func(x estate.Grant) bool { return x.Name == g.Name }) {
				r.passed[g.Name] = true
				if r.reason == "" && r.entry.Distance != nil {
					line = append(line, r)
				}
			}
		}
		sort.Slice(line, func(i, j int) bool {
			a, b := line[i].entry, line[j].entry
			if a.Stranded != b.Stranded {
				return b.Stranded
			}
			if *a.Distance != *b.Distance {
				return *a.Distance < *b.Distance
			}
			return a.Queue < b.Queue
		})
		for i := 0; i < len(line) && i < g.Nearest; i++ {
			line[i].passed[g.Name] = false
		}
	}
	for _, r := range rows {
		var counting []estate.Grant
		for _, g := range r.giving {
			if !r.passed[g.Name] {
				counting = append(counting, g)
			}
		}
		if r.reason == "" && len(counting) == 0 {
			r.reason = "not-nearest"
			if r.entry.Distance == nil {
				r.reason = "no-distance"
			}
		}
		if r.reason != "" {
			grants := grantNames(r.giving)
			if r.reason == "withheld" {
				grants = grantNames(r.withholding)
			}
			out = append(out, lineup.LeftOut{Queue: r.queue.Name, Reason: r.reason, Grants: grants})
			continue
		}
		e := r.entry
		e.Effect, e.Scope, e.IfRemoved, e.Grants = "offered", "user", "leave", grantNames(counting)
		for _, p := range o.live.Picks[fold(o.user)] {
			if o.user != "" && (p == r.queue.Name || slices.Contains(r.queue.Formerly, p)) {
				e.Effect = "picked"
			}
		}
		for _, g := range counting {
			if g.Effect == estate.Place {
				e.Effect = "placed"
				if len(g.To) == 0 {
					e.Scope = "machine"
				}
			}
			e.Insist = e.Insist || g.Insist
			if g.IfRemoved != "leave" {
				e.IfRemoved = "restore"
			}
			if r.queue.Purpose == "" {
				weights[e.Queue] = max(weights[e.Queue], g.Default)
			}
		}
		entries = append(entries, e)
	}
	return o.inOrder(entries, out, weights)
}

// steps takes one queue through steps 1, 3 and 4.
func (o *oracle) steps(r *row) {
	q := r.queue
	if len(r.withholding) > 0 {
		r.reason = "withheld"
		return
	}
	if q.Retired || o.over(q.Until, q) {
		r.reason = "retired"
		return
	}
	if a := q.Access; a != nil && (o.some(a.Deny, "any") || len(a.Allow) > 0 && !o.some(a.Allow, "any")) {
		r.reason = "not-permitted"
		return
	}
	var open, fit []estate.Path
	chosen := -1
	direct, ok := o.driver(q)
	for _, p := range q.Paths {
		if len(p.At) > 0 && !o.some(p.At, "at") || len(p.Sessions) > 0 && !slices.Contains(p.Sessions, o.session) {
			continue
		}
		if i := slices.IndexFunc(o.doc.Devices, func(d estate.Device) bool { return d.Name == p.Device }); i >= 0 &&
			o.doc.Devices[i].Machine != "" && (o.session != "desktop" || fold(o.doc.Devices[i].Machine) != fold(o.machine)) {
			continue
		}
		open = append(open, p)
		if !p.Gateway && !ok {
			continue
		}
		fit = append(fit, p)
		usable := p.Gateway || p.Device != "" && o.live.Devices[p.Device] != live.Down || p.Server != "" &&
			o.has(p.Server, cmp.Or(p.RemoteName, q.Name))
		if p.Set != "" {
			_, usable = o.member(o.set(p.Set), cmp.Or(p.RemoteName, q.Name))
		}
		if usable && chosen < 0 {
			chosen = len(fit) - 1
		}
	}
	if len(open) == 0 {
		r.reason = "no-path"
		return
	}
	if len(fit) == 0 {
		r.reason = "no-driver"
		return
	}
	r.entry = lineup.Entry{Queue: q.Name, Stranded: chosen < 0, Distance: o.distance(q.Location), Driver: direct,
		Options: q.Defaults}
	o.fill(&r.entry, q, fit[max(chosen, 0)])
}

func (o *oracle) inOrder(entries []lineup.Entry, out []lineup.LeftOut, weights map[string]int) ([]lineup.Entry,
	[]lineup.LeftOut) {
	sort.Slice(out, func(i, j int) bool { return out[i].Queue < out[j].Queue })
	near := func(a, b lineup.Entry) int {
		switch {
		case a.Distance == nil && b.Distance != nil:
			return 1
		case a.Distance != nil && b.Distance == nil:
			return -1
		case a.Distance != nil && *a.Distance != *b.Distance:
			return *a.Distance - *b.Distance
		}
		return strings.Compare(a.Queue, b.Queue)
	}
	best := -1
	for i, e := range entries {
		if e.Effect == "offered" || weights[e.Queue] == 0 {
			continue
		}
		if best < 0 || weights[e.Queue] > weights[entries[best].Queue] || weights[e.Queue] == weights[entries[best].Queue] &&
			near(e, entries[best]) < 0 {
			best = i
		}
	}
	if best >= 0 {
		entries[best].Default = true
	}
	sort.SliceStable(entries, func(i, j int) bool {
		a, b := entries[i], entries[j]
		if a.Default != b.Default {
			return a.Default
		}
		if a.Effect != b.Effect {
			return slices.Index([]string{"placed", "picked", "offered"}, a.Effect) < slices.Index([]string{"placed", "picked",
				"offered"}, b.Effect)
		}
		return near(a, b) < 0
	})
	return entries, out
}

func (o *oracle) fill(e *lineup.Entry, q estate.Queue, p estate.Path) {
	if q.Title != "" {
		e.Title = &q.Title
	}
	if len(q.Open) > 0 && !o.open(q.Open, q) && !(p.Gateway && q.Jobs != nil && q.Jobs.OutsideHours == "wait") {
		hours := "hours"
		e.NotAccepting = &hours
	}
	if q.Paused {
		paused := "paused"
		e.NotAccepting = &paused
	}
	if e.Options == nil {
		e.Options = map[string]any{}
	}
	e.Path.URI = "/ipp/queues/" + q.Name
	e.Path.Through = "gateway"
	if p.Gateway {
		e.Driver = "driverless"
	}
	for _, d := range o.doc.Devices {
		if d.Name == p.Device {
			e.Path = lineup.Taken{Through: "device", Device: &d.Name, URI: d.URI}
		}
	}
	through, via := p.Server, (*string)(nil)
	if p.Set != "" {
		through, _ = o.member(o.set(p.Set), cmp.Or(p.RemoteName, q.Name))
		via = &p.Set
	}
	for _, s := range o.doc.Servers {
		if s.Name == through {
			root := "printers/"
			if s.QueueRoot != nil {
				root = *s.QueueRoot
			}
			remote := p.RemoteName
			if remote == "" {
				remote = q.Name
			}
			kind := path.Server
			if via != nil {
				kind = path.Set
			}
			e.Path = lineup.Taken{Through: kind, Server: &s.Name, Set: via, URI: s.URI + root + strings.ReplaceAll(remote,
				" ", "%20")}
		}
	}
	for _, d := range o.doc.Drivers {
		if d.Name == e.Driver {
			e.Exact = &d.Exact
		}
	}
}

// hash makes a failing world findable again.
func hash(s string) string { return fmt.Sprintf("%x", sha256.Sum256([]byte(s)))[:8] }
