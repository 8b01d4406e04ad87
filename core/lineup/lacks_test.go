package lineup_test

import (
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
)

const pairText = `
estate: 1
locations: [{path: quay}]
servers: [{name: ps-1, uri: "ipp://ps-1.skerry.example/"}, {name: ps-2, uri: "ipp://ps-2.skerry.example/"}]
server_sets: [{name: pair, style: standby, members: [ps-1, ps-2]}]
devices: [{name: d, uri: "ipp://10.0.0.9/ipp/print"}]
queues:
  - {name: reception, location: quay, paths: [{set: pair, remote_name: Reception}]}
  - {name: hall, location: quay, devices: [d], paths: [{set: pair}, {device: d}]}
  - {name: alone, location: quay, paths: [{server: ps-2}]}
grants: [{name: all, effect: place, queues: [reception, hall, alone], to: [everyone]}]
`

func pair(t *testing.T, l live.State) *lineup.World {
	t.Helper()
	doc, err := estate.Parse([]document.File{{Name: "pair.yaml", Text: pairText}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return lineup.Bind(lineup.Compile(doc, 1, lineup.Options{}), directory.New(directory.Records{}), l)
}

// TestLacks: a server that was read lately and lacks a queue is no way to it, and the reasoning says so.
func TestLacks(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	list := func(queues ...string) *live.List { return live.NewList(now, now, queues) }
	drained := map[string]live.Duty{"ps-1": live.Drained}
	lists := map[string]*live.List{"ps-1": list("Reception", "hall"), "ps-2": list("alone")}
	for name, c := range map[string]struct {
		state live.State
		queue string
		uri   string
		kept  bool // stranded
		says  string
	}{
		"as ever": {live.State{Lists: lists}, "reception", "ipp://ps-1.skerry.example/printers/Reception", false,
			"the first that can be used; of the set pair, ps-1 is the first on duty that has it: ps-2 lacks the queue Reception"},
		"the other lacks it": {live.State{Servers: drained, Lists: lists}, "reception",
			"ipp://ps-1.skerry.example/printers/Reception", true,
			"no member of the set pair is on duty and has it: ps-1 is drained, ps-2 lacks the queue Reception; kept on ps-1 " +
				"all the same, because no other can be used"},
		"nobody read the other": {live.State{Servers: drained, Lists: map[string]*live.List{"ps-1": lists["ps-1"]}},
			"reception", "ipp://ps-2.skerry.example/printers/Reception", false,
			"the first that can be used; of the set pair, ps-2 is the first on duty"},
		"a further path": {live.State{Servers: drained, Lists: lists}, "hall", "ipp://10.0.0.9/ipp/print", false,
			"the first that can be used"},
		"the one server lacks it": {live.State{Lists: map[string]*live.List{"ps-2": list()}}, "alone",
			"ipp://ps-2.skerry.example/printers/alone", true,
			"the server ps-2 lacks the queue alone; kept on ps-2 all the same, because no other can be used"},
		"the first lacks it": {live.State{Lists: map[string]*live.List{"ps-1": list(), "ps-2": list("Reception")}},
			"reception", "ipp://ps-2.skerry.example/printers/Reception", false,
			"the first that can be used; of the set pair, ps-2 is the first on duty that has it: ps-1 lacks the queue Reception"},
	} {
		w := pair(t, c.state)
		why, err := w.Why(lineup.Context{User: "mira", Session: "desktop", Time: now}, c.queue)
		if err != nil {
			t.Fatal(err)
		}
		says := ""
		for _, p := range why.Paths {
			if p.Chosen {
				says = p.Says
			}
		}
		if e := why.Entry[0]; e.Path.URI != c.uri || e.Stranded != c.kept || says != c.says {
			t.Errorf("%s: %s, stranded %v:\n%s", name, e.Path.URI, e.Stranded, says)
		}
	}
	// What one lacks, the other is the only way to.
	w := pair(t, live.State{Lists: lists})
	server, _, err := w.Depends(lineup.Context{User: "mira", Session: "desktop", Time: now}, "reception", new(lineup.Scratch))
	if err != nil || server != "ps-1" {
		t.Error("reception depends on", server, err)
	}
}

// TestNobodyIsLedToNothing: in random worlds with readings, no lineup leads to a queue that is known to be missing while
// another way could be used, and why agrees.
func TestNobodyIsLedToNothing(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	missing, around := 0, 0
	for seed := range 1500 {
		m, doc, w := randomWorld(t, seed)
		blind := w.Live
		blind.Lists = nil
		unread := lineup.Bind(w.Estate, w.Directory, blind)
		for range 6 {
			c, err := m.Query().Context(now)
			if err != nil {
				t.Fatal(err)
			}
			l, err := w.Resolve(c, nil)
			if err != nil {
				t.Fatal(err)
			}
			for _, e := range l.Entries {
				q := doc.Find(estate.Ref{List: "queues", Name: e.Queue}).(*estate.Queue)
				why, err := lineup.Explain(w, c, e.Queue)
				if err != nil {
					t.Fatal(err)
				}
				usable := 0
				for _, p := range why.Paths {
					if p.Open && p.Driver != nil && p.Usable {
						usable++
					}
				}
				if e.Path.Server != nil {
					for _, p := range q.Paths {
						remote := p.RemoteName
						if remote == "" {
							remote = q.Name
						}
						here := p.Server == *e.Path.Server && e.Path.Set == nil || e.Path.Set != nil && p.Set == *e.Path.Set
						if !here || !strings.HasSuffix(e.Path.URI, strings.ReplaceAll(remote, " ", "%20")) {
							continue
						}
						if w.Live.Lacks(*e.Path.Server, remote) {
							missing++
							if !e.Stranded || usable > 0 {
								t.Fatalf("world %d: %s leads to %s, which lacks it; %d other ways", seed, e.Queue, *e.Path.Server, usable)
							}
						}
					}
				}
				if other, err := lineup.Explain(unread, c, e.Queue); err == nil && other.Present && !e.Stranded &&
					other.Entry[0].Path.URI != e.Path.URI {
					around++
				}
			}
		}
	}
	if missing < 20 || around < 20 {
		t.Errorf("%d stranded by what lacks, %d led around it: the worlds prove nothing", missing, around)
	}
}
