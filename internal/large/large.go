// Package large makes a large organisation out of a seed: the same seed always gives the same estate, directory and
// contexts. Everything in it is made up.
package large

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"slices"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
)

// Size says how large. Every site is alike in kind and different in detail.
type Size struct {
	Sites int
	// A site's.
	Users, Machines, Queues, Grants, Subnets, Teams int
}

// Full is 100,000 users, 20,000 machines, 5,000 nested groups, 10,000 queues, 20,000 grants and 4,000 subnets.
var Full = Size{Sites: 200, Users: 500, Machines: 100, Queues: 50, Grants: 100, Subnets: 20, Teams: 20}

// Small is a hundredth of Full.
var Small = Size{Sites: 2, Users: 500, Machines: 100, Queues: 50, Grants: 100, Subnets: 20, Teams: 20}

// ForBench is Full, or Small where the environment says CIRQUE_BENCH=small: then benchmarks are tried, not measured.
func ForBench() Size {
	if Scale(100) == 1 {
		return Small
	}
	return Full
}

// Scale gives a benchmark's size, or a hundredth of it, at least 1, where benchmarks are only tried.
func Scale(n int) int {
	if os.Getenv("CIRQUE_BENCH") == "small" {
		return max(1, n/100)
	}
	return n
}

// An Organisation is what a seed gives.
type Organisation struct {
	Estate    *estate.Document
	Directory directory.Records
	Contexts  []lineup.Context // one a user: where the person was last seen
}

const (
	departments = 4
	floors      = 5
	rooms       = 4
)

// Time is the present of every context: a Monday morning.
var Time = time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)

type maker struct {
	*rand.Rand
	Size
	out *Organisation
}

// New makes the organisation.
func New(seed uint64, size Size) *Organisation {
	m := &maker{rand.New(rand.NewPCG(seed, 1)), size, &Organisation{Estate: &estate.Document{Estate: estate.Version}}}
	d := m.out.Estate
	d.Drivers = []estate.Driver{{Name: "mono-x64", Exact: "Skerrymark Mono 40 PCL6", Platform: "windows/x64"},
		{Name: "colour-x64", Exact: "Skerrymark Colour 60 PS", Platform: "windows/x64"}}
	for s := range size.Sites {
		m.site(s)
	}
	return m.out
}

func site(s int) string { return fmt.Sprintf("site-%03d", s) }

func (m *maker) room(s int) string {
	return fmt.Sprintf("%s/floor-%d/room-%d", site(s), m.IntN(floors), m.IntN(rooms))
}

func (m *maker) site(s int) {
	d := m.out.Estate
	name := site(s)
	d.Locations = append(d.Locations, estate.Location{Path: name, Title: fmt.Sprintf("Site %d", s),
		Timezone: []string{"Europe/Oslo", "UTC", "Atlantic/Faroe"}[s%3]})
	var places []string
	for f := range floors {
		for r := range rooms {
			path := fmt.Sprintf("%s/floor-%d/room-%d", name, f, r)
			places = append(places, path)
			d.Locations = append(d.Locations, estate.Location{Path: path})
		}
	}
	for i := range m.Subnets {
		d.Subnets = append(d.Subnets, estate.Subnet{CIDR: m.subnet(s, i), Location: places[i%len(places)]})
	}
	pair := []string{fmt.Sprintf("ps-%03d-1", s), fmt.Sprintf("ps-%03d-2", s)}
	for _, p := range pair {
		d.Servers = append(d.Servers, estate.Server{Name: p, URI: "ipp://" + p + ".skerry.example:631/", Location: name})
	}
	d.ServerSets = append(d.ServerSets, estate.ServerSet{Name: fmt.Sprintf("pair-%03d", s),
		Style: []estate.Style{estate.Standby, estate.Spread}[s%2], Members: pair})
	for i := range m.Queues {
		m.queue(s, i)
	}
	for i := range m.Grants {
		d.Grants = append(d.Grants, m.grant(s, i))
	}
	m.people(s)
}

// subnet numbers the subnets through 10.0.0.0/8.
func (m *maker) subnet(s, i int) netip.Prefix {
	n := s*m.Subnets + i
	return netip.PrefixFrom(netip.AddrFrom4([4]byte{10, byte(n >> 8), byte(n), 0}), 24)
}

func queueName(s, i int) string { return fmt.Sprintf("q-%03d-%02d", s, i) }

func (m *maker) queue(s, i int) {
	d := m.out.Estate
	device := fmt.Sprintf("p-%03d-%02d", s, i)
	d.Devices = append(d.Devices, estate.Device{Name: device, URI: fmt.Sprintf("ipp://198.51.100.%d/%s/ipp/print", i%250+1,
		device), Location: m.room(s), AddressKeptBy: "reservation"})
	q := estate.Queue{Name: queueName(s, i), Title: fmt.Sprintf("Queue %d at site %d", i, s), Location: m.room(s),
		Devices: []string{device}, Labels: []string{[]string{"mono", "colour", "label"}[i%3], "a4"},
		Drivers:  map[string]string{"windows/x64": []string{"mono-x64", "colour-x64"}[i%2], "*": estate.Driverless},
		Defaults: map[string]any{"sides": "two-sided-long-edge", "media": "iso_a4_210x297mm"}}
	switch i % 4 {
	case 0:
		q.Paths = []estate.Path{{Set: fmt.Sprintf("pair-%03d", s)}, {Device: device}}
	case 1:
		q.Paths = []estate.Path{{Device: device, At: []string{"location:" + site(s)}}, {Gateway: true}}
	default:
		q.Paths = []estate.Path{{Device: device}, {Server: fmt.Sprintf("ps-%03d-1", s)}}
	}
	if i%10 == 9 {
		q.Open = []estate.Window{{Days: []string{"mon", "tue", "wed", "thu", "fri"}, From: "06:30", To: "19:00"}}
	}
	if i%16 == 15 {
		q.Access = &estate.Access{Allow: []string{"group:" + everybody(s)}}
	}
	d.Queues = append(d.Queues, q)
}

func everybody(s int) string         { return fmt.Sprintf("all-%03d", s) }
func department(s, i int) string     { return fmt.Sprintf("department-%03d-%d", s, i) }
func team(s, i int) string           { return fmt.Sprintf("team-%03d-%02d", s, i) }
func (m *maker) teamOf(s int) string { return team(s, m.IntN(m.Teams)) }
func user(s, i int) string           { return fmt.Sprintf("person-%03d-%03d", s, i) }
func machine(s, i int) string        { return fmt.Sprintf("desk-%03d-%03d", s, i) }
func unit(s, i int) string           { return fmt.Sprintf("staff/%s/%d", site(s), i%departments) }

// grant writes a site's i-th grant: some to all of the site, more to its departments, to teams, to a unit, to a
// machine, to single people, or to everyone at a place.
func (m *maker) grant(s, i int) estate.Grant {
	g := estate.Grant{Name: fmt.Sprintf("g-%03d-%02d", s, i), Effect: estate.Place}
	common, dep := m.Queues/12, m.Queues/10
	own := func(d int) string { return queueName(s, (common+d*dep+m.IntN(max(dep/2, 1)))%m.Queues) }
	switch k := i * 100 / m.Grants; {
	case k < 18:
		g.To, g.Queues = []string{"group:" + everybody(s)}, []string{queueName(s, m.IntN(common))}
	case k < 40:
		d := m.IntN(departments)
		g.To, g.Queues = []string{"group:" + department(s, d)}, []string{own(d)}
	case k < 80:
		g.To, g.Queues = []string{"group:" + m.teamOf(s)}, []string{queueName(s, m.IntN(m.Queues))}
	case k < 84:
		d := m.IntN(departments)
		g.To, g.Queues = []string{"unit:" + unit(s, d)}, []string{own(d)}
	case k < 88:
		g.On, g.Queues = []string{"machine:" + machine(s, m.IntN(m.Machines))}, []string{queueName(s, m.IntN(m.Queues))}
	case k < 92:
		g.To, g.Queues = []string{"user:" + user(s, m.IntN(m.Users))}, []string{queueName(s, m.IntN(m.Queues))}
	case k < 98:
		g.At, g.Queues = []string{"location:" + m.room(s)}, []string{queueName(s, m.IntN(m.Queues))}
	default:
		g.To, g.At, g.Queues, g.Nearest = []string{"everyone"}, []string{"location:" + site(s)},
			[]string{"within:" + site(s) + fmt.Sprintf("/floor-%d", m.IntN(floors))}, 1
	}
	switch m.IntN(12) {
	case 0, 1, 2:
		g.Effect = estate.Offer
	case 3:
		if g.Nearest == 0 && i*100/m.Grants >= 40 {
			g.Effect = estate.Withhold
		}
	}
	switch m.IntN(16) {
	case 0:
		g.Sessions = []string{"desktop", "remote"}
	case 1:
		g.Platforms = []string{"windows/x64", "linux"}
	case 2:
		if len(g.At) == 0 {
			g.At = []string{"location:" + site(s)}
		}
	case 3:
		g.Except = []string{"user:" + user(s, m.IntN(m.Users))}
	}
	if i%50 == 49 {
		g.Open = []estate.Window{{Days: []string{"mon", "tue", "wed", "thu", "fri"}, From: "07:00", To: "20:00"}}
	}
	if g.Effect != estate.Withhold && m.IntN(3) == 0 {
		g.Default = 1 + m.IntN(100)
	}
	return g
}

func (m *maker) people(s int) {
	r := &m.out.Directory
	all := directory.Group{Name: everybody(s)}
	deps := make([]directory.Group, departments)
	for i := range deps {
		deps[i].Name = department(s, i)
		all.Members = append(all.Members, "group:"+deps[i].Name)
	}
	teams := make([]directory.Group, m.Teams)
	for i := range teams {
		teams[i].Name = team(s, i)
		d := &deps[i%departments]
		d.Members = append(d.Members, "group:"+teams[i].Name)
	}
	for i := range m.Machines {
		r.Machines = append(r.Machines, directory.Machine{Name: machine(s, i), Unit: "machines/" + site(s),
			Platform: "windows/x64"})
	}
	for i := range m.Users {
		r.Users = append(r.Users, directory.User{Name: user(s, i), DisplayName: fmt.Sprintf("Person %d of site %d", i, s),
			Email: user(s, i) + "@skerry.example", Unit: unit(s, i)})
		for _, t := range []int{i % m.Teams, m.IntN(m.Teams), m.IntN(m.Teams)} {
			if who := "user:" + user(s, i); !slices.Contains(teams[t].Members, who) {
				teams[t].Members = append(teams[t].Members, who)
			}
		}
		net := m.subnet(s, m.IntN(m.Subnets)).Addr().As4()
		net[3] = byte(1 + m.IntN(250))
		m.out.Contexts = append(m.out.Contexts, lineup.Context{User: user(s, i), Machine: machine(s, i%m.Machines),
			Addresses: []netip.Addr{netip.AddrFrom4(net)}, Session: "desktop", Platform: "windows/x64", Time: Time})
	}
	r.Groups = append(append(append(r.Groups, all), deps...), teams...)
}

// Write writes estate.json, directory.json and contexts.json, as the service takes them, into a directory by way of
// create.
func (o *Organisation) Write(create func(name string, b []byte) error) error {
	queries := make([]lineup.Query, len(o.Contexts))
	for i, c := range o.Contexts {
		queries[i] = c.Query()
	}
	for name, v := range map[string]any{"estate.json": o.Estate, "contexts.json": queries,
		"directory.json": map[string]any{"directory": 1, "users": o.Directory.Users, "groups": o.Directory.Groups,
			"machines": o.Directory.Machines}} {
		b, err := json.Marshal(v)
		if err == nil {
			err = create(name, b)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
