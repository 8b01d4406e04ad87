package adopt_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"cirque/core/adopt"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/stock"
	"cirque/internal/testkit/worlds"
)

const pair = `estate: 1
servers: [{name: one, uri: "ipp://one.example/"}, {name: two, uri: "ipp://two.example/", kept: true}]
server_sets: [{name: pair, style: standby, members: [one, two]}]
devices: [{name: d, uri: "ipp://192.0.2.1/ipp/print"}]
queues:
  - {name: alone, devices: [d], paths: [{device: d}, {server: one, remote_name: Alone}]}
  - {name: both, devices: [d], paths: [{set: pair}]}
  - {name: twice, devices: [d], paths: [{server: one, remote_name: A}, {server: two, remote_name: B}]}
  - {name: gone, retired: true, devices: [d], paths: [{server: one}]}
`

// TestCompleter: what leads through one member alone leads through the set, strays are those that nothing leads to, and
// what is left is said with who sees to it.
func TestCompleter(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, pair)
	queue := func(name, model string) stock.Queue {
		return stock.Queue{Name: name, Model: model, Device: "ipp://192.0.2.1/ipp/print"}
	}
	readings := map[string]*stock.Server{"one": {Queues: []stock.Queue{queue("Alone", "M"), queue("both", "M"),
		queue("Stray", "M")}}, "two": {Queues: []stock.Queue{queue("both", "N")}}}
	c := adopt.Completer{Doc: doc, Set: doc.ServerSets[0], Read: func(s string) *stock.Server { return readings[s] }}

	edits, said, err := c.Members()
	if err != nil || len(edits) != 1 || len(said) != 2 {
		t.Fatalf("%+v %+v %v", edits, said, err)
	}
	if !said[0].Done || said[0].Queue != "Alone" || said[1].Done || !strings.Contains(said[1].Says, "several names") {
		t.Errorf("%+v", said)
	}
	next := worlds.With(t, doc, edits)
	q := next.Find(estate.Ref{List: "queues", Name: "alone"}).(*estate.Queue)
	if len(q.Paths) != 2 || q.Paths[0].Device != "d" || q.Paths[1].Set != "pair" || q.Paths[1].RemoteName != "Alone" {
		t.Errorf("%+v", q.Paths)
	}
	if edits, said, err := (adopt.Completer{Doc: next, Set: c.Set, Read: c.Read}).Members(); err != nil ||
		len(edits) != 0 || len(said) != 1 {
		t.Errorf("once more: %v %v %v", edits, said, err)
	}

	if s := c.Strays(); len(s) != 1 || !slices.Equal(s["one"], []string{"Stray"}) {
		t.Errorf("strays: %v", s)
	}
	p := &adopt.Proposal{Found: "Stray", Queue: estate.Queue{Name: "stray", Paths: []estate.Path{{Server: "one"},
		{Device: "d"}}}}
	c.ThroughSet(p)
	if w := p.Queue.Paths; w[0].Set != "pair" || w[0].RemoteName != "Stray" || w[1].Device != "d" {
		t.Errorf("%+v", w)
	}

	var left []string
	for _, x := range (adopt.Completer{Doc: next, Set: c.Set, Read: c.Read}).Left() {
		left = append(left, fmt.Sprintf("%s on %s: %s", x.Queue, x.On, x.Says))
	}
	if len(left) != 2 || !strings.HasPrefix(left[0], "Alone on two: it is missing there; its agent sees to it") ||
		!strings.HasPrefix(left[1], `both on one: driver: "M" and "N"`) || !strings.HasSuffix(left[1],
		"have Cirque keep it: cirque draft set server one kept=yes") {
		t.Errorf("%q", left)
	}
}

// TestCompleterWithoutReadings: a set that nobody has read has no strays, and nothing is said to be missing.
func TestCompleterWithoutReadings(t *testing.T) {
	t.Parallel()
	doc, err := estate.Parse([]document.File{{Name: "pair.yaml", Text: pair}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	c := adopt.Completer{Doc: doc, Set: doc.ServerSets[0], Read: func(string) *stock.Server { return nil }}
	if s, left := c.Strays(), c.Left(); len(s) != 0 || len(left) != 0 {
		t.Error(s, left)
	}
}
