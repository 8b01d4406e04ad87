package access_test

import (
	"encoding/json"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/internal/testkit/worlds"
)

// placed gives a random estate whose servers and devices lie somewhere.
func placed(m worlds.Maker) *estate.Document {
	d := m.Estate()
	places := []string{"ard", "ard/quay/1", "bran", "bran/hut", ""}
	for i := range d.Servers {
		d.Servers[i].Location = m.One(places...)
	}
	for i := range d.Devices {
		d.Devices[i].Location = m.One(places...)
	}
	return d
}

// TestScopeIsAScope: for random estates and random changes by somebody who looks after the site bran that are accepted,
// no lineup of anybody changes who is somewhere else: neither before nor afterwards at bran.
func TestScopeIsAScope(t *testing.T) {
	t.Parallel()
	bran := &access.Principal{Name: "bjorn", Role: access.SiteAdmin, Sites: []string{"bran"}}
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	accepted, looked, changedThere := 0, 0, 0
	for seed := range uint64(20000) {
		m := worlds.New(seed)
		before, other := placed(m), placed(m)
		records := m.Directory()
		dir := directory.New(records)
		machines := map[string]string{}
		for _, x := range records.Machines {
			machines[x.Name] = x.Location
		}
		// A few objects of another estate, moved to the site more often than not, and some taken out.
		var changes []estate.Change
		r := rand.New(rand.NewPCG(seed, 3))
		for _, c := range estate.Changes(before, other) {
			if r.IntN(6) > 0 {
				continue
			}
			if r.IntN(8) == 0 {
				c.After = nil
			}
			if c.Before == nil && c.After == nil {
				continue
			}
			c.After = near(r, c.After)
			changes = append(changes, c)
		}
		changes = access.Confine(bran, access.Publish, before.With(changes), changes)
		after := before.With(changes)
		if len(changes) == 0 || len(estate.Integrity(after)) > 0 ||
			access.CheckChanges(bran, access.Publish, before, after, changes) != nil ||
			access.CheckReach(bran, access.Publish, before, after, changes, known(machines)) != nil {
			continue
		}
		accepted++
		state := m.Live()
		was := lineup.Bind(lineup.Compile(before, 0, zones), dir, state)
		is := lineup.Bind(lineup.Compile(after, 0, zones), dir, state)
		for range 40 {
			q := m.Query()
			c, err := q.Context(now)
			if err != nil {
				continue
			}
			from, to := was.Location(c), is.Location(c)
			there := func(location string) bool { return location != "" && estate.Site(location) == "bran" }
			a, errA := was.Resolve(c, nil)
			b, errB := is.Resolve(c, nil)
			if (errA == nil) != (errB == nil) {
				continue // a location that was given is no more
			}
			if errA != nil {
				continue
			}
			// What is left out may have another reason: that is told to whoever asks why.
			x, _ := json.Marshal(a.Entries)
			y, _ := json.Marshal(b.Entries)
			if there(from) || there(to) && from == "" || there(home(before, a.Context.Machine)) {
				if string(x) != string(y) {
					changedThere++
				}
				continue
			}
			looked++
			if several(c) {
				continue // whoever is in two networks at once is where the narrower one is
			}
			if string(x) != string(y) {
				t.Fatalf("seed %d: %s at %q (%q): changes %+v\nwas %s\nis  %s", seed, asJSON(q), from, to, asJSON(changes), x, y)
			}
		}
	}
	if accepted < 60 || looked < 1000 || changedThere < 20 {
		t.Errorf("%d changes were accepted, %d lineups looked at elsewhere, %d changed at the site: they prove little",
			accepted, looked, changedThere)
	}
}

var zones = lineup.Options{Zone: func(called string) *time.Location {
	z, err := time.LoadLocation(called)
	if err != nil {
		return time.UTC
	}
	return z
}}

// known are a directory's machines with their fixed locations.
func known(machines map[string]string) access.Elsewhere {
	return func(machine string) (string, bool) {
		for m, location := range machines {
			if name.Fold(m) == name.Fold(machine) {
				return estate.Site(location), true
			}
		}
		return "", false
	}
}

// home is where a station is: whoever sits at one of the site is of the site.
func home(d *estate.Document, machine *string) string {
	if machine != nil {
		for _, s := range d.Stations {
			if name.Fold(s.Name) == name.Fold(*machine) {
				return s.Location
			}
		}
	}
	return ""
}

func several(c lineup.Context) bool { return len(c.Addresses) > 1 }

func asJSON(v any) string {
	b, _ := json.Marshal(v)
	return string(b)
}

// near moves an object to the site.
func near(r *rand.Rand, object any) any {
	if r.IntN(10) == 0 {
		return object
	}
	at := []string{"bran", "bran/hut"}[r.IntN(2)]
	switch o := object.(type) {
	case *estate.Queue:
		c := *o
		c.Location = at
		return &c
	case *estate.Server:
		c := *o
		c.Location = at
		return &c
	case *estate.Device:
		c := *o
		c.Location = at
		return &c
	case *estate.Subnet:
		c := *o
		c.Location = at
		return &c
	case *estate.Station:
		c := *o
		c.Location = at
		return &c
	case *estate.Grant:
		c := *o
		c.Queues = []string{"within:" + at}
		if r.IntN(2) == 0 {
			c.At = nil
		}
		return &c
	}
	return object
}

// TestReaches: each way of reaching beyond one's site, and what is next to it and allowed.
func TestReaches(t *testing.T) {
	t.Parallel()
	bjorn := &access.Principal{Name: "bjorn", Role: access.SiteAdmin, Sites: []string{"bra"}}
	before := worlds.Parse(t, `
estate: 1
locations: [{path: ard}, {path: ard/hall}, {path: bra, timezone: Europe/Oslo}, {path: bra/pier}]
subnets: [{cidr: 10.40.8.0/22, location: ard}, {cidr: 10.50.0.0/16, location: bra}]
stations:
  - {name: till-07, addresses: [10.40.8.77], location: ard}
  - {name: till-09, addresses: [10.50.0.9], location: bra}
servers:
  - {name: ps-all, uri: "ipp://ps-all.example/", location: bra}
  - {name: ps-bra, uri: "ipp://ps-bra.example/", location: bra}
server_sets: [{name: pair, style: standby, members: [ps-all, ps-bra]}]
devices:
  - {name: d-all, uri: "ipp://10.50.0.20/", location: bra}
  - {name: d-bra, uri: "ipp://10.50.0.21/", location: bra}
queues:
  - {name: everywhere, location: bra, devices: [d-all], paths: [{set: pair}, {server: ps-all}]}
  - {name: pier, location: bra/pier, formerly: [old-pier], labels: [mono], devices: [d-bra], paths: [{server: ps-bra}]}
  - {name: near, location: bra/pier, labels: [near], paths: [{gateway: true}]}
  - {name: hall, location: ard/hall, formerly: [old-hall], paths: [{gateway: true}]}
grants:
  - {name: all, effect: place, queues: [everywhere, "label:shared"], to: [everyone]}
  - {name: closest, effect: place, queues: ["label:near"], nearest: 1}
  - {name: pier, effect: place, queues: [pier], at: ["location:bra"]}
  - {name: hall, effect: place, queues: [hall], at: ["location:ard"]}`)
	for _, c := range []struct{ what, edit, want string }{
		{"a subnet of an own network", `{"subnets":[{"cidr":"10.51.0.0/16","location":"bra"}]}`, ""},
		{"inside an own one", `{"subnets":[{"cidr":"10.50.8.0/24","location":"bra/pier"}]}`, ""},
		{"inside another's", `{"subnets":[{"cidr":"10.40.8.128/26","location":"bra"}]}`,
			"overlaps 10.40.8.0/22, which lies at ard"},
		{"around another's", `{"subnets":[{"cidr":"10.0.0.0/8","location":"bra"}]}`, "overlaps 10.40.8.0/22"},
		{"everything", `{"subnets":[{"cidr":"0.0.0.0/0","location":"bra"}]}`, "overlaps 10.40.8.0/22"},
		{"a station", `{"stations":[{"name":"till-10","addresses":["10.50.0.10"],"location":"bra"}]}`, ""},
		{"a station of another's address", `{"stations":[{"name":"till-10","addresses":["10.40.8.9"],"location":"bra"}]}`,
			"its address 10.40.8.9 lies at ard"},
		{"of an address of nobody", `{"stations":[{"name":"till-10","addresses":["192.0.2.1"],"location":"bra"}]}`,
			"its address 192.0.2.1 lies at no site"},
		{"of a machine elsewhere", `{"stations":[{"name":"Desk-112","location":"bra"}]}`,
			"there is a machine of that name, and it is at ard"},
		{"of a machine that may be anywhere", `{"stations":[{"name":"laptop","location":"bra"}]}`,
			"there is a machine of that name"},
		{"of a machine here", `{"stations":[{"name":"desk-bra","location":"bra"}]}`, ""},
		{"an own queue", `{"queues":[{"name":"pier","location":"bra","title":"Pier","formerly":["old-pier"]}]}`, ""},
		{"a queue that is the nearest", `{"queues":[{"name":"near","location":"bra","labels":["near"],"title":"Near"}]}`, ""},
		{"a queue that all receive", `{"queues":[{"name":"everywhere","location":"bra","title":"x"}]}`,
			"received at other sites too, by the grant all"},
		{"a queue that all would receive", `{"queues":[{"name":"new","location":"bra","labels":["shared"]}]}`,
			"received at other sites too, by the grant all"},
		{"a server of such a queue", `{"servers":[{"name":"ps-all","uri":"ipp://x.example/","location":"bra"}]}`,
			"the queue everywhere leads through it"},
		{"a member of such a queue's set", `{"servers":[{"name":"ps-bra","uri":"ipp://x.example/","location":"bra"}]}`,
			"the queue everywhere leads through it"},
		{"that set", `{"server_sets":[{"name":"pair","style":"spread","members":["ps-bra"]}]}`,
			"the queue everywhere leads through it"},
		{"a device of such a queue", `{"devices":[{"name":"d-all","uri":"ipp://10.50.0.99/","location":"bra"}]}`,
			"the queue everywhere leads through it"},
		{"an own device", `{"devices":[{"name":"d-bra","uri":"ipp://10.50.0.99/","location":"bra"}]}`, ""},
		{"a grant without a place", `{"grants":[{"name":"g","effect":"place","queues":["pier"],"to":["everyone"],"default":1000,"insist":true}]}`,
			""},
		{"a grant at a subnet", `{"grants":[{"name":"g","effect":"place","queues":["pier"],"at":["subnet:10.50.0.0/16"]}]}`,
			"it holds at other sites too"},
		{"a grant at a range", `{"grants":[{"name":"g","effect":"place","queues":["pier"],"at":["location:bra","range:10.40.8.1-10.40.8.9"]}]}`,
			"it holds at other sites too"},
		{"a grant elsewhere", `{"grants":[{"name":"g","effect":"place","queues":["pier"],"at":["location:ard"]}]}`,
			"it holds at other sites too"},
		{"an old name of its own", `{"queues":[{"name":"quay","location":"bra","formerly":["old-pier"]},{"name":"pier","location":"bra"}]}`,
			""},
		{"an old name of another's", `{"queues":[{"name":"quay","location":"bra","formerly":["old-hall"]}]}`,
			"old-hall was no queue of your sites"},
		{"an old name out of nowhere", `{"queues":[{"name":"quay","location":"bra","formerly":["gone"]}]}`,
			"gone was no queue of your sites"},
		{"a timezone", `{"locations":[{"path":"bra","timezone":"Europe/Berlin"}]}`, "the hours of the queue everywhere"},
		{"a title", `{"locations":[{"path":"bra","title":"Brannoy","timezone":"Europe/Oslo"}]}`, ""},
	} {
		var part estate.Document
		if err := json.Unmarshal([]byte(c.edit), &part); err != nil {
			t.Fatal(err)
		}
		var changes []estate.Change
		for _, x := range estate.Changes(&estate.Document{}, &part) {
			x.Before = before.Find(x.Ref)
			changes = append(changes, x)
		}
		changes = access.Confine(bjorn, access.Publish, before.With(changes), changes)
		after := before.With(changes)
		err := access.CheckChanges(bjorn, access.Publish, before, after, changes)
		if err == nil {
			err = access.CheckReach(bjorn, access.Publish, before, after, changes, known(map[string]string{
				"desk-112": "ard/hall", "laptop": "", "desk-bra": "bra/pier"}))
		}
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", c.what, err, c.want)
		}
		if g, ok := after.Find(estate.Ref{List: "grants", Name: "g"}).(*estate.Grant); ok && err == nil &&
			(len(g.At) != 1 || g.At[0] != "location:bra") {
			t.Errorf("%s: it is at %v", c.what, g.At)
		}
		if err := access.CheckReach(&access.Principal{Role: access.Administrator}, access.Publish, before, after, changes,
			nil); err != nil {
			t.Errorf("%s, by an administrator of all sites: %v", c.what, err)
		}
	}
}
