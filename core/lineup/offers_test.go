package lineup_test

import (
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/core/lineup"
)

// TestCheckPick: only what is offered to somebody can be picked, wherever and whenever; each refusal says why.
func TestCheckPick(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct{ queue, grants, says string }{
		"offered":            {"", "{name: o, effect: offer, queues: [q], to: ['group:clerks']}", ""},
		"offered elsewhere":  {"", "{name: o, effect: offer, queues: [q], at: ['location:b'], open: [{from: '01:00', to: '01:01'}]}", ""},
		"offered to others":  {"", "{name: o, effect: offer, queues: [q], to: ['user:temp']}", "no grant offers q to mira"},
		"offered but to her": {"", "{name: o, effect: offer, queues: [q], except: ['unit:staff']}", "no grant offers q to mira"},
		"placed":             {"", "{name: p, effect: place, queues: [q], to: ['group:clerks']}", "q is placed for mira by p, not offered"},
		"by nothing":         {"", "", "no grant offers q to mira"},
		"withheld": {"", "{name: o, effect: offer, queues: [q]}, {name: w, effect: withhold, queues: [q], to: ['user:mira']}",
			"withheld from mira by w"},
		"withheld at a place": {"", "{name: o, effect: offer, queues: [q]}, {name: w, effect: withhold, queues: [q], to: " +
			"['user:mira'], at: ['location:a']}", ""},
		"not permitted":        {", access: {allow: ['user:jonas']}", "{name: o, effect: offer, queues: [q]}", "does not permit mira"},
		"denied":               {", access: {deny: ['group:clerks']}", "{name: o, effect: offer, queues: [q]}", "does not permit mira"},
		"permitted at a place": {", access: {allow: ['location:a']}", "{name: o, effect: offer, queues: [q]}", ""},
		"retired":              {", retired: true", "{name: o, effect: offer, queues: [q]}", "q is retired"},
		"placed and offered":   {"", "{name: o, effect: offer, queues: [q]}, {name: p, effect: place, queues: [q]}", ""},
	} {
		w := world(t, checkEstate+"queues: [{name: q, devices: [p], paths: [{device: p}]"+c.queue+"}]\n"+
			strings.Replace("grants: ["+c.grants+"]\n", "grants: []", "", 1), checkDirectory)
		err := lineup.CheckPick(w, "mira", "q", time.Time{})
		if (err == nil) != (c.says == "") || err != nil && (!strings.Contains(err.Error(), c.says) || fault.As(err).Fix == "") {
			t.Errorf("%s: %v, want %q", name, err, c.says)
		}
		if c.says == "" && !lineup.Offers(w, "mira", "q", time.Time{}) {
			t.Errorf("%s: it is not offered", name)
		}
	}
	w := world(t, checkEstate, checkDirectory)
	if lineup.Offers(w, "mira", "q", time.Time{}) || !fault.Is(lineup.CheckPick(w, "mira", "q", time.Time{}),
		fault.Unknown) {
		t.Error("what is not there is offered")
	}
}
