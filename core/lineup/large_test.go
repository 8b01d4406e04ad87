package lineup_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"sync"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
)

// Sizes of a large organisation.
const (
	largeUsers, largeMachines, largeGroups = 100_000, 20_000, 5_000
	largeQueues, largeGrants, largeSubnets = 10_000, 20_000, 4_000
	largeSites, largeFloors, largePerFloor = 200, 5, 4
)

// large makes the large organisation from a seed: always the same.
var large = sync.OnceValues(func() (*estate.Document, directory.Records) {
	rnd := rand.New(rand.NewPCG(2026, 11))
	d := &estate.Document{Estate: 1}
	var places []string
	for s := range largeSites {
		site := fmt.Sprintf("site-%d", s)
		for f := range largeFloors {
			for p := range largePerFloor {
				path := fmt.Sprintf("%s/floor-%d/room-%d", site, f, p)
				places = append(places, path)
				d.Locations = append(d.Locations, estate.Location{Path: path})
			}
		}
	}
	place := func() string { return places[rnd.IntN(len(places))] }
	for i := range largeSubnets {
		addr := netip.AddrFrom4([4]byte{10, byte(i >> 8), byte(i), 0})
		d.Subnets = append(d.Subnets, estate.Subnet{CIDR: netip.PrefixFrom(addr, 24), Location: places[i%len(places)]})
	}
	d.Servers = []estate.Server{{Name: "ps-1", URI: "ipp://ps-1.skerry.example:631/"}}
	d.Drivers = []estate.Driver{{Name: "d", Exact: "Skerrymark Mono 40 PCL6", Platform: "windows/x64"}}
	for i := range largeQueues {
		dev := fmt.Sprintf("p-%d", i)
		d.Devices = append(d.Devices, estate.Device{Name: dev, URI: "ipp://192.0.2.1/" + dev})
		d.Queues = append(d.Queues, estate.Queue{Name: fmt.Sprintf("q-%d", i), Location: place(), Labels: []string{fmt.Sprintf("l-%d", i%50), "a4"}, Devices: []string{dev},
			Paths: []estate.Path{{Device: dev}, {Server: "ps-1"}}, Drivers: map[string]string{"windows/x64": "d", "*": "driverless"}})
	}
	for i := range largeGrants {
		g := estate.Grant{Name: fmt.Sprintf("g-%d", i), Effect: []estate.Effect{estate.Place, estate.Place, estate.Offer, estate.Withhold}[rnd.IntN(4)], Queues: []string{fmt.Sprintf("q-%d", rnd.IntN(largeQueues))}}
		switch rnd.IntN(10) {
		case 0:
			g.To = []string{fmt.Sprintf("user:user-%d", rnd.IntN(largeUsers))}
		case 1:
			g.On = []string{fmt.Sprintf("machine:machine-%d", rnd.IntN(largeMachines))}
		case 2, 3:
			g.At = []string{"location:" + place()}
		case 4:
			g.To, g.At = []string{"everyone"}, []string{"location:" + place()}
		default:
			g.To = []string{fmt.Sprintf("group:group-%d", rnd.IntN(largeGroups))}
		}
		if g.Effect != estate.Withhold && rnd.IntN(3) == 0 {
			g.Default = 1 + rnd.IntN(100)
		}
		d.Grants = append(d.Grants, g)
	}
	var r directory.Records
	members := make([][]string, largeGroups)
	for i := range largeUsers {
		r.Users = append(r.Users, directory.User{Name: fmt.Sprintf("user-%d", i), Unit: fmt.Sprintf("staff/unit-%d", i%400)})
		for range 3 {
			g := rnd.IntN(largeGroups)
			members[g] = append(members[g], fmt.Sprintf("user:user-%d", i))
		}
	}
	for i := range largeGroups {
		if i > 10 {
			members[i/10] = append(members[i/10], fmt.Sprintf("group:group-%d", i)) // a tree, ten wide
		}
	}
	for i, m := range members {
		r.Groups = append(r.Groups, directory.Group{Name: fmt.Sprintf("group-%d", i), Members: m})
	}
	for i := range largeMachines {
		r.Machines = append(r.Machines, directory.Machine{Name: fmt.Sprintf("machine-%d", i), Unit: "machines"})
	}
	return d, r
})

func largeContext(i int) lineup.Context {
	return lineup.Context{User: fmt.Sprintf("user-%d", i%largeUsers), Machine: fmt.Sprintf("machine-%d", i%largeMachines), Session: "desktop", Platform: "windows/x64", Time: time.Unix(0, 0),
		Addresses: []netip.Addr{netip.AddrFrom4([4]byte{10, byte(i % largeSubnets >> 8), byte(i % largeSubnets), 9})}}
}

// BenchmarkLarge is a large organisation: what a change costs, and what an answer does.
func BenchmarkLarge(b *testing.B) {
	doc, records := large()
	b.Run("compile-estate", func(b *testing.B) {
		for b.Loop() {
			lineup.Compile(doc, 1)
		}
	})
	b.Run("index-directory", func(b *testing.B) {
		for b.Loop() {
			directory.New(records)
		}
	})
	b.Run("parse-estate", func(b *testing.B) {
		text, err := doc.YAML()
		if err != nil {
			b.Fatal(err)
		}
		b.SetBytes(int64(len(text)))
		for b.Loop() {
			if _, err := estate.Parse([]document.File{{Name: "large.yaml", Text: string(text)}}, estate.Options{}); err != nil {
				b.Fatal(err)
			}
		}
	})
	e, d := lineup.Compile(doc, 1), directory.New(records)
	b.Run("bind", func(b *testing.B) {
		for b.Loop() {
			lineup.Bind(e, d, live.State{})
		}
	})
	w := lineup.Bind(e, d, live.State{})
	b.Run("resolve", func(b *testing.B) {
		var s lineup.Scratch
		b.ReportAllocs()
		entries := 0
		for i := 0; b.Loop(); i++ {
			l, err := w.Resolve(largeContext(i), &s)
			if err != nil {
				b.Fatal(err)
			}
			entries += len(l.Entries)
		}
		b.ReportMetric(float64(entries)/float64(b.N), "queues/op")
	})
}
