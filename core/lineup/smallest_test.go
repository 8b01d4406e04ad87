package lineup_test

import (
	"strings"
	"testing"
	"time"
)

// TestSmallestChange: what is offered gives the queue, all of it where one thing is not enough.
func TestSmallestChange(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct{ queue, grants, query, want string }{
		"a grant is enough": {"", "", `{"user":"mira"}`, "write a grant that gives the queue to user:mira"},
		"a grant, and access": {", access: {allow: ['user:jonas']}", "", `{"user":"mira"}`,
			"write a grant that gives the queue to user:mira; and add user:mira to the queue's access allow"},
		"a near miss, and access": {", access: {allow: ['user:jonas']}",
			"{name: g, effect: place, queues: [q], to: ['user:jonas']}", `{"user":"mira"}`,
			"g: add user:mira to the grant's to; and add user:mira to the queue's access allow"},
		"the group also withholds": {"", "{name: g, effect: place, queues: [q], to: ['group:nobody']}, " +
			"{name: w, effect: withhold, queues: [q], to: ['group:nobody']}", `{"user":"mira"}`,
			"write a grant that gives the queue to user:mira"},
		"into a group": {"", "{name: g, effect: place, queues: [q], to: ['group:nobody']}", `{"user":"mira"}`,
			"g: put user:mira into group:nobody"},
		"retired and withheld": {", retired: true", "{name: g, effect: place, queues: [q]}, {name: w, effect: withhold, queues: [q]}",
			`{"user":"mira"}`, "add user:mira to the except of w; and take retired off the queue"},
		"denied": {", access: {deny: ['unit:staff', 'location:b']}", "{name: g, effect: place, queues: [q]}", `{"user":"mira"}`,
			"take unit:staff out of the queue's access deny"},
		"the address is missing": {"", "{name: g, effect: place, queues: [q], at: ['location:a']}", `{"user":"mira"}`,
			"g: add a subnet that holds the address to the estate, or say where the person is"},
		"excepted": {"", "{name: g, effect: place, queues: [q], except: ['unit:staff']}", `{"user":"mira"}`,
			"g: take unit:staff out of the grant's except"},
		"no session of its kind": {"", "{name: g, effect: place, queues: [q], sessions: [desktop]}",
			`{"user":"mira","session":"mobile"}`, "g: add mobile to the grant's sessions"},
		"on a machine": {"", "{name: g, effect: place, queues: [q], on: ['machine:x']}", `{"machine":"desk-1"}`,
			"g: add machine:desk-1 to the grant's on"},
	} {
		w := world(t, checkEstate+"queues: [{name: q, devices: [p], paths: [{device: p}]"+c.queue+"}]\n"+
			strings.Replace("grants: ["+c.grants+"]\n", "grants: []", "", 1), checkDirectory)
		y, err := w.Why(context(t, c.query), "q")
		if err != nil || y.Present {
			t.Fatalf("%s: %+v %v", name, y, err)
		}
		if y.Change != c.want {
			t.Errorf("%s: %s\nwant: %s", name, y.Change, c.want)
		}
	}
	// A path that is for a place, and no place is known: that comes before any change of the estate.
	w := world(t, checkEstate+"queues: [{name: q, devices: [p], paths: [{device: p, at: ['subnet:10.0.0.0/8']}]}]\n"+
		"grants: [{name: g, effect: place, queues: [q]}]\n", checkDirectory)
	y, err := w.Why(context(t, `{"user":"mira"}`), "q")
	if err != nil || y.Change != "say from which address, or at which location: its path through p is for subnet:10.0.0.0/8" {
		t.Error(y.Change, err)
	}
	y, err = w.Why(context(t, `{"user":"mira","addresses":["192.0.2.1"]}`), "q")
	if err != nil || y.Change != "give the queue a path that is open here, such as one through the gateway" {
		t.Error(y.Change, err)
	}
}

// TestChangesAreFound: in random worlds nearly every absent queue has a change of a few steps, and none is offered for
// a queue that is there.
func TestChangesAreFound(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	found, not, several := 0, 0, 0
	for seed := range 150 {
		m, doc, w := randomWorld(t, seed)
		for range 4 {
			c, err := m.Query().Context(at)
			if err != nil {
				t.Fatal(err)
			}
			for _, q := range doc.Queues {
				y, err := w.Why(c, q.Name)
				switch {
				case err != nil:
					t.Fatal(err)
				case y.Present != (y.Change == ""):
					t.Fatalf("present %v: %q", y.Present, y.Change)
				case y.Present:
				case strings.HasPrefix(y.Change, "no small change"):
					not++
				default:
					found++
					if strings.Contains(y.Change, "; and ") {
						several++
					}
				}
			}
		}
	}
	if found < 500 || several < 50 || not > found/50 {
		t.Errorf("%d changes, %d of several steps, %d not found", found, several, not)
	}
}
