package lineup_test

import (
	"strings"
	"testing"
	"time"

	"cirque/core/lineup"
)

func TestGiven(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct{ queue, grants, state, says string }{
		"given": {"", "{name: g, effect: place, queues: [q], to: ['group:clerks']}", "given", "given by g"},
		"to a name that the directory has not": {"", "{name: g, effect: place, queues: [q], to: ['user:ghost']}", "given",
			"given by g"},
		"by nothing": {"", "", "nobody", "no grant gives it"},
		"only withheld": {"", "{name: w, effect: withhold, queues: [q], to: ['user:mira']}", "nobody",
			"no grant gives it, w only keeps it away"},
		"to an empty group": {"", "{name: g, effect: place, queues: [q], to: ['group:nobody']}", "nobody", "reach nobody"},
		"to no machine":     {"", "{name: g, effect: place, queues: [q], on: ['group:nobody']}", "nobody", "reach nobody"},
		"to one machine":    {"", "{name: g, effect: place, queues: [q], on: ['unit:machines']}", "given", "given by g"},
		"withheld from some": {"", "{name: g, effect: place, queues: [q], to: ['group:clerks']}, {name: w, effect: withhold, " +
			"queues: [q], to: ['user:mira']}", "given", "given by g, and kept away from some by w"},
		"withheld from each": {"", "{name: g, effect: place, queues: [q], to: ['group:clerks']}, {name: w, effect: withhold, " +
			"queues: [q], to: ['unit:staff']}", "nobody", "withheld by w from all to whom g gives it"},
		"withheld from each but one": {"", "{name: g, effect: place, queues: [q], to: ['group:clerks']}, {name: w, effect: " +
			"withhold, queues: [q], to: ['unit:staff'], except: ['user:mira']}", "given", "kept away from some"},
		"withheld elsewhere": {"", "{name: g, effect: place, queues: [q], to: ['group:clerks']}, {name: w, effect: withhold, " +
			"queues: [q], to: ['unit:staff'], at: ['location:a']}", "given", "kept away from some"},
		"withheld from everybody": {"", "{name: g, effect: place, queues: [q], to: [everyone]}, {name: w, effect: withhold, " +
			"queues: [q]}", "nobody", "withheld by w from everybody"},
		"withheld from people, given to machines": {"", "{name: g, effect: place, queues: [q]}, {name: w, effect: withhold, " +
			"queues: [q], to: [everyone]}", "given", "kept away from some"},
		"not permitted": {", access: {allow: ['user:temp']}", "{name: g, effect: place, queues: [q], to: ['group:clerks']}",
			"nobody", "its access permits none"},
		"permitted to one": {", access: {allow: ['user:jonas']}", "{name: g, effect: place, queues: [q], to: ['group:clerks']}",
			"given", "given by g"},
		"permitted to a place": {", access: {allow: ['location:a']}",
			"{name: g, effect: place, queues: [q], to: ['group:clerks']}", "given", "given by g"},
		"to all, and permitted to an empty group": {", access: {allow: ['group:nobody']}", "{name: g, effect: place, queues: [q]}",
			"nobody", "its access permits none"},
		"retired": {", retired: true", "{name: g, effect: place, queues: [q]}", "retired", "it is retired"},
	} {
		w := world(t, checkEstate+"queues: [{name: q, devices: [p], paths: [{device: p}]"+c.queue+"}]\n"+
			strings.Replace("grants: ["+c.grants+"]\n", "grants: []", "", 1),
			checkDirectory)
		got := lineup.Givens(w, time.Time{})[0]
		if string(got.State) != c.state || !strings.Contains(got.Says, c.says) || (got.State == lineup.ToNobody) != (got.Fix != "") {
			t.Errorf("%s: %+v", name, got)
		}
		if one, ok := lineup.GivenOf(w, "q", time.Time{}); !ok || one.Says != got.Says {
			t.Errorf("%s: %+v alone", name, one)
		}
	}
	if _, ok := lineup.GivenOf(world(t, checkEstate, checkDirectory), "q", time.Time{}); ok {
		t.Error("a queue that is not there is given")
	}
}

// TestGivenToNobody: what is said to reach nobody reaches nobody, in random worlds and contexts.
func TestGivenToNobody(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	nobody, had := 0, 0
	for seed := range 1500 {
		m, _, w := randomWorld(t, seed)
		given := map[string]lineup.Given{}
		for i, g := range lineup.Givens(w, time.Time{}) {
			given[w.Estate.Document().Queues[i].Name] = g
			if g.State != lineup.IsGiven {
				nobody++
			}
		}
		for range 8 {
			c, err := m.Query().Context(at.Add(time.Duration(m.IntN(7*24*60)) * time.Minute))
			if err != nil {
				t.Fatal(err)
			}
			l, err := w.Resolve(c, nil)
			if err != nil {
				t.Fatal(err)
			}
			for _, e := range l.Entries {
				had++
				if g := given[e.Queue]; g.State != lineup.IsGiven {
					t.Fatalf("world %d: %+v has %s, of which it is said: %+v", seed, c, e.Queue, g)
				}
			}
		}
	}
	if nobody < 100 || had < 100 {
		t.Errorf("%d queues reach nobody, %d entries: the worlds prove nothing", nobody, had)
	}
}
