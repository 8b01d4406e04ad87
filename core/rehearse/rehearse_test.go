package rehearse_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"
	_ "time/tzdata"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/rehearse"
	"cirque/internal/large"
	"cirque/internal/testkit/worlds"
)

var now = time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)

func zone(name string) *time.Location {
	z, err := time.LoadLocation(name)
	if err != nil {
		return nil
	}
	return z
}

func at(c lineup.Context) lineup.Context {
	c.Time = now
	return c
}

func asJSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return string(b)
}

// edit makes some random changes that leave the document whole.
func edit(m worlds.Maker, d *estate.Document) *estate.Document {
	other := m.Estate()
	for _, c := range estate.Changes(d, other) {
		if m.Maybe(0.15) {
			if next := d.With([]estate.Change{c}); len(estate.Integrity(next)) == 0 {
				d = next
			}
		}
	}
	if q := d.Queues[m.IntN(len(d.Queues))]; m.Maybe(0.2) {
		if next := renamed(d, q.Name, q.Name+"x"); len(estate.Integrity(next)) == 0 {
			d = next
		}
	}
	return d
}

// renamed gives a queue another name; its old one goes on leading there.
func renamed(d *estate.Document, from, to string) *estate.Document {
	ref := estate.Ref{List: "queues", Name: from}
	before := d.Find(ref).(*estate.Queue)
	after := *before
	after.Name, after.Formerly = to, append(slices.Clone(before.Formerly), from)
	after.Paths = slices.Clone(before.Paths)
	for i := range after.Paths {
		if p := &after.Paths[i]; p.RemoteName == "" && p.Server+p.Set != "" {
			p.RemoteName = from
		}
	}
	changes := []estate.Change{{Ref: ref, Before: before}, {Ref: estate.Ref{List: "queues", Name: to}, After: &after}}
	for i := range d.Grants {
		if j := slices.Index(d.Grants[i].Queues, from); j >= 0 {
			g := d.Grants[i]
			g.Queues = slices.Clone(g.Queues)
			g.Queues[j] = to
			changes = append(changes, estate.Change{Ref: estate.Ref{List: "grants", Name: g.Name}, Before: &d.Grants[i], After: &g})
		}
	}
	return d.With(changes)
}

// TestRenameIsNoLoss: whoever had a queue that is renamed has it under another name, and nothing else is otherwise;
// also where the rename is undone.
func TestRenameIsNoLoss(t *testing.T) {
	t.Parallel()
	names := 0
	for seed := range 400 {
		m := worlds.New(uint64(seed))
		a := parse(t, m.Estate()).Sorted()
		b := renamed(a, a.Queues[0].Name, a.Queues[0].Name+"x")
		if len(estate.Integrity(b)) > 0 {
			continue
		}
		dir, state := directory.New(m.Directory()), m.Live()
		var seen []lineup.Context
		for range 6 {
			if c, err := m.Query().Context(now); err == nil {
				seen = append(seen, c)
			}
		}
		cases := rehearse.NewCases(dir, a.Stations, seen)
		from := lineup.Bind(lineup.Compile(a, 1, lineup.Options{Zone: zone}), dir, state)
		to := lineup.Bind(lineup.Compile(b, 2, lineup.Options{Zone: zone}), dir, state)
		for _, p := range []*rehearse.Plan{rehearse.NewPlan(from, to, cases, now, true), rehearse.NewPlan(to, from, cases, now,
			true)} {
			for _, e := range run(p, 1000).Effects {
				for _, i := range e.Items {
					if names++; i.Kind != rehearse.Renames {
						t.Fatalf("world %d: a rename of %s: %+v", seed, a.Queues[0].Name, i)
					}
				}
			}
		}
	}
	if names < 100 {
		t.Errorf("%d names changed", names)
	}
}

func parse(t *testing.T, d *estate.Document) *estate.Document {
	t.Helper()
	doc, err := estate.Parse([]document.File{{Name: "w.json", Text: asJSON(d)}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	return doc
}

type world struct {
	from, to *lineup.World
	cases    *rehearse.Cases
}

func make2(t *testing.T, seed int) world {
	t.Helper()
	m := worlds.New(uint64(seed))
	a := parse(t, m.Estate())
	b := edit(m, a.Sorted())
	records, state := m.Directory(), m.Live()
	after := state
	if m.Maybe(0.3) {
		after = m.Live()
		after.Picks = state.Picks
	}
	if m.Maybe(0.3) {
		after.Picks = m.Live().Picks
	}
	dir := directory.New(records)
	e := lineup.Compile(a, 1, lineup.Options{Zone: zone})
	// The second is compiled with the first at hand, as a draft is.
	w := world{from: lineup.Bind(e, dir, state), to: lineup.Bind(lineup.Compile(b, 2, lineup.Options{Zone: zone,
		Reuse: e}), dir, after)}
	var seen []lineup.Context
	for range 12 {
		c, err := m.Query().Context(now)
		if err != nil {
			t.Fatal(err)
		}
		seen = append(seen, c)
	}
	w.cases = rehearse.NewCases(directory.New(records), a.Stations, seen)
	return w
}

func run(p *rehearse.Plan, step int) *rehearse.Part {
	var parts []*rehearse.Part
	var scratch rehearse.Scratch
	for from := 0; from < p.Len(); from += step {
		parts = append(parts, p.Run(from, min(from+step, p.Len()), &scratch))
	}
	slices.Reverse(parts) // parallel parts come in any order
	return rehearse.Merge(parts)
}

// TestShortcutIsExact: looking only at what a change can touch finds the same as looking at everything, and reusing an
// estate compiles to the same as starting anew.
func TestShortcutIsExact(t *testing.T) {
	t.Parallel()
	worldCount := 1500
	if testing.Short() {
		worldCount = 200
	}
	saved, effects, kinds := 0, 0, map[rehearse.Kind]int{}
	for seed := range worldCount {
		w := make2(t, seed)
		short := rehearse.NewPlan(w.from, w.to, w.cases, now, false)
		full := rehearse.NewPlan(w.from, w.to, w.cases, now, true)
		a, b := run(short, 3), run(full, 1000)
		if x, y := asJSON(a.Effects), asJSON(b.Effects); x != y {
			t.Fatalf("world %d:\nshort %s\n full %s", seed, x, y)
		}
		fresh := lineup.Bind(lineup.Compile(w.to.Estate.Document(), 2, lineup.Options{Zone: zone}), w.to.Directory, w.to.Live)
		for _, c := range w.cases.List {
			x, errX := w.to.Resolve(at(c.Context), nil)
			y, errY := fresh.Resolve(at(c.Context), nil)
			if asJSON(x) != asJSON(y) || (errX == nil) != (errY == nil) {
				t.Fatalf("world %d: reused %s\nfresh %s", seed, asJSON(x), asJSON(y))
			}
		}
		saved += b.Looked - a.Looked
		effects += len(a.Effects)
		for _, e := range a.Effects {
			for _, i := range e.Items {
				kinds[i.Kind]++
			}
		}
	}
	if saved < worldCount || effects < worldCount || len(kinds) != len(rehearse.Kinds()) {
		t.Errorf("too dull: %d contexts saved, %d effects, %v", saved, effects, kinds)
	}
}

// TestEffectsAreTheDifference compares the lineups themselves, minute for minute at the edges, with what a plan found.
func TestEffectsAreTheDifference(t *testing.T) {
	t.Parallel()
	for seed := range 300 {
		w := make2(t, seed)
		got := map[int32][]rehearse.Item{}
		for _, e := range run(rehearse.NewPlan(w.from, w.to, w.cases, now, false), 7).Effects {
			got[e.Case] = e.Items
		}
		for i, c := range w.cases.List {
			a, errA := w.from.Resolve(at(c.Context), nil)
			b, errB := w.to.Resolve(at(c.Context), nil)
			if errA != nil || errB != nil {
				continue
			}
			var want []string
			for _, e := range a.Entries {
				if !slices.ContainsFunc(b.Entries, func(o lineup.Entry) bool { return o.Queue == e.Queue }) {
					want = append(want, "loses "+e.Queue)
				}
			}
			for _, e := range b.Entries {
				if !slices.ContainsFunc(a.Entries, func(o lineup.Entry) bool { return o.Queue == e.Queue }) {
					want = append(want, "gains "+e.Queue)
				}
			}
			if len(a.Entries) > 0 && len(b.Entries) == 0 {
				want = append(want, "empty ")
			}
			var have []string
			for _, item := range got[int32(i)] {
				if k := item.Kind; (k == rehearse.Gains || k == rehearse.Loses || k == rehearse.Empty) && (item.Times == nil ||
					slices.ContainsFunc(item.Times, now.Equal)) {
					have = append(have, fmt.Sprintf("%s %s", k, item.Queue))
				} else if k == rehearse.Renames && (item.Times == nil || slices.ContainsFunc(item.Times, now.Equal)) {
					have = append(have, "gains "+item.To, "loses "+item.From) // by the names alone
				}
			}
			sort.Strings(want)
			sort.Strings(have)
			if !slices.Equal(want, have) {
				t.Fatalf("world %d, case %d: %v, want %v", seed, i, have, want)
			}
		}
	}
}

// TestReportAddsUp holds the figures of a report against the effects behind them.
func TestReportAddsUp(t *testing.T) {
	t.Parallel()
	for seed := range 300 {
		w := make2(t, seed)
		p := rehearse.NewPlan(w.from, w.to, w.cases, now, false)
		all := run(p, 5)
		r := p.Report(all)
		check := func(what string, f rehearse.Filter, want rehearse.Count) {
			some, total := p.Select(all, f, 0, 1000)
			people, machines := map[string]bool{}, map[string]bool{}
			for _, e := range some {
				if c := w.cases.List[e.Case]; c.Kind == "user" {
					people[c.Name] = true
				} else {
					machines[c.Name] = true
				}
			}
			if got := (rehearse.Count{People: len(people), Machines: len(machines), Contexts: total}); got != want {
				t.Fatalf("world %d, %s: %+v behind the figure %+v", seed, what, got, want)
			}
		}
		for k, n := range r.Totals {
			check(string(k), rehearse.Filter{Kind: k}, n)
		}
		check("touched", rehearse.Filter{}, r.Touched)
		for by, groups := range r.By {
			for _, g := range groups {
				for k, n := range g.Counts {
					check(fmt.Sprint(by, " ", g.Key, " ", k), rehearse.Filter{Kind: k, By: by, Key: g.Key}, n)
				}
			}
		}
	}
}

func TestWithout(t *testing.T) {
	t.Parallel()
	d := &estate.Document{Servers: []estate.Server{{Name: "a", URI: "ipp://10.1.0.1/", Location: "x/1"},
		{Name: "b", URI: "ipp://b.example/", Location: "y"}}, ServerSets: []estate.ServerSet{{Name: "s",
		Members: []string{"a", "b"}}},
		Devices:   []estate.Device{{Name: "p", URI: "ipp://10.1.2.3/", Location: "x"}},
		Locations: []estate.Location{{Path: "x/1"}, {Path: "y"}}}
	for in, want := range map[string]string{"server:a": "[server a]", "set:s": "[server a server b]",
		"device:p": "[device p]", "site:x": "[server a device p]", "location:x/1": "[server a]",
		"subnet:10.1.0.0/16": "[server a device p]"} {
		if _, down, err := rehearse.Without(d, live.State{}, []string{in}); err != nil || fmt.Sprint(down) != want {
			t.Errorf("%s: %v %v", in, down, err)
		}
	}
	for _, in := range []string{"server:c", "subnet:10", "printer:x", "site:z"} {
		if _, _, err := rehearse.Without(d, live.State{}, []string{in}); err == nil {
			t.Errorf("%s is taken", in)
		}
	}
}

func TestMoved(t *testing.T) {
	t.Parallel()
	r := directory.Records{Users: []directory.User{{Name: "Mira", Unit: "a"}}, Groups: []directory.Group{{Name: "g",
		Members: []string{"user:mira"}}, {Name: "h"}}}
	d := directory.New(r)
	named := func(unit string) bool { return unit == "b/c" }
	got, err := rehearse.Moved(d, []string{"user:mira=unit:b/c", "user:mira=-group:g", "user:mira=+group:H"}, named)
	if err != nil || got.Users[0].Unit != "b/c" || len(got.Groups[0].Members) != 0 ||
		got.Groups[1].Members[0] != "user:mira" || r.Users[0].Unit != "a" || len(r.Groups[0].Members) != 1 {
		t.Errorf("%+v %v", got, err)
	}
	for in, says := range map[string]string{"mira=unit:b": "who moves where", "user:ida=unit:a": `no user "ida"`,
		"user:mira=unit:a//b": "is no unit", "user:mira=unit:bb": `no unit "bb"`, "user:mira=+group:z": `no group "z"`,
		"user:mria=+group:h": `no user "mria"; did you mean Mira?`, "machine:x=+group:h": `no machine "x"`,
		"user:mira=-group:h": "not listed", "user:mira=x": "does not say where to"} {
		if _, err := rehearse.Moved(d, []string{in}, named); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", in, err)
		}
	}
}

// TestCoverage: whoever depends on a server by the coverage is stranded for some queue without it, and nobody else is.
func TestCoverage(t *testing.T) {
	t.Parallel()
	depended := 0
	for seed := range 300 {
		w := make2(t, seed)
		var s lineup.Scratch
		got := rehearse.Coverage([]rehearse.Share{rehearse.Cover(w.from, w.cases.List, now, 0, len(w.cases.List), &s)})
		on := map[string]rehearse.Dependence{}
		for _, d := range got {
			on[d.Kind+":"+d.Name] = d
		}
		for _, srv := range w.from.Estate.Document().Servers {
			state, _, err := rehearse.Without(w.from.Estate.Document(), w.from.Live, []string{"server:" + srv.Name})
			if err != nil {
				t.Fatal(err)
			}
			p := rehearse.NewPlan(w.from, lineup.Bind(w.from.Estate, w.from.Directory, state), w.cases, now, false)
			stranded := 0
			for _, e := range run(p, 9).Effects {
				if slices.ContainsFunc(e.Items, func(i rehearse.Item) bool {
					return i.Kind == rehearse.Stranded && !w.from.Estate.ForPractice(i.Queue) && i.From != "" && (i.Times == nil ||
						slices.ContainsFunc(i.Times, now.Equal))
				}) {
					stranded++
				}
			}
			if n := on["server:"+srv.Name].Some.Contexts; n < stranded {
				t.Fatalf("world %d: %d contexts depend on %s, %d are stranded without it", seed, n, srv.Name, stranded)
			}
			depended += stranded
		}
	}
	if depended == 0 {
		t.Error("too dull: nobody depends on anything")
	}
}

// TestWanted: a queue is wanted on a platform by exactly those whose lineup has it there, or would but for the driver;
// however the cases are divided.
func TestWanted(t *testing.T) {
	t.Parallel()
	wanted := 0
	for seed := range 200 {
		w := make2(t, seed)
		var s lineup.Scratch
		all := rehearse.Wanted(w.from, w.cases.List, now, 0, len(w.cases.List), &s)
		parts := rehearse.Demand{}
		for from := 0; from < len(w.cases.List); {
			to := w.cases.End(min(from+3, len(w.cases.List)))
			parts.Add(rehearse.Wanted(w.from, w.cases.List, now, from, to, &s))
			from = to
		}
		if asJSON(fmt.Sprint(all)) != asJSON(fmt.Sprint(parts)) {
			t.Fatalf("world %d: %v in one go, %v in parts", seed, all, parts)
		}
		who := map[rehearse.Wish]map[string]bool{}
		for _, c := range w.cases.List {
			if c.Context.Platform == "" {
				continue
			}
			l, err := w.from.Resolve(at(c.Context), &s)
			if err != nil {
				t.Fatal(err)
			}
			note := func(queue string) {
				wish := rehearse.Wish{Queue: queue, Platform: c.Context.Platform}
				if who[wish] == nil {
					who[wish] = map[string]bool{}
				}
				who[wish][c.Kind+c.Name] = true
			}
			for _, e := range l.Entries {
				note(e.Queue)
			}
			for _, e := range l.LeftOut {
				if e.Reason == lineup.NoDriver {
					note(e.Queue)
				}
			}
		}
		for wish, people := range who {
			if all[wish] != len(people) {
				t.Fatalf("world %d: %v is wanted by %d, counted %d", seed, wish, len(people), all[wish])
			}
		}
		if len(who) != len(all) {
			t.Fatalf("world %d: %d wishes, counted %d", seed, len(who), len(all))
		}
		wanted += len(all)
	}
	if wanted == 0 {
		t.Error("too dull: nobody wants anything")
	}
}

// BenchmarkLarge rehearses a large organisation: everything anew, and one grant's change.
func BenchmarkLarge(b *testing.B) {
	o := large.New(1, large.ForBench())
	dir := directory.New(o.Directory)
	e := lineup.Compile(o.Estate, 1, lineup.Options{Zone: zone})
	w := lineup.Bind(e, dir, live.State{})
	cases := rehearse.NewCases(directory.New(o.Directory), nil, o.Contexts)
	doc := e.Document()
	half := doc.Grants[len(doc.Grants)/2].Name
	i := slices.IndexFunc(doc.Grants, func(g estate.Grant) bool { return g.Name > half && g.Effect == estate.Place })
	g := doc.Grants[i]
	g.Effect, g.Default = estate.Withhold, 0
	ch := []estate.Change{{Ref: estate.Ref{List: "grants", Name: g.Name}, Before: doc.Find(estate.Ref{List: "grants",
		Name: g.Name}), After: &g}}
	b.Run("one-grant", func(b *testing.B) {
		for b.Loop() {
			w2 := lineup.Bind(lineup.Compile(doc.With(ch), 2, lineup.Options{Zone: zone, Reuse: e}), dir, live.State{})
			p := rehearse.NewPlan(w, w2, cases, now, false)
			all := run(p, 256)
			if len(all.Effects) == 0 {
				b.Fatal("nothing changes")
			}
			b.ReportMetric(float64(all.Looked), "contexts")
		}
	})
	b.Run("full-one-core", func(b *testing.B) {
		w2 := lineup.Bind(lineup.Compile(doc.With(ch), 2, lineup.Options{Zone: zone, Reuse: e}), dir, live.State{})
		for b.Loop() {
			p := rehearse.NewPlan(w, w2, cases, now, true)
			all := run(p, 256)
			b.ReportMetric(float64(all.Looked), "contexts")
		}
	})
}
