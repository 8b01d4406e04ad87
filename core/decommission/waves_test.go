package decommission_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/decommission"
	"cirque/core/estate"
	"cirque/internal/testkit/worlds"
)

const fiveQueues = `estate: 1
locations: [{path: ard}]
servers: [{name: old, uri: "ipp://old.example/"}, {name: fresh, uri: "ipp://fresh.example/"}]
server_sets: [{name: pair, style: standby, members: [old, fresh]}]
devices: [{name: d, uri: "ipp://10.1.0.11/ipp/print"}]
queues:
  - {name: a, devices: [d], paths: [{server: old, remote_name: A1, at: ["location:ard"]}, {device: d}]}
  - {name: b, devices: [d], paths: [{server: old}]}
  - {name: c, devices: [d], paths: [{device: d}]}
  - {name: e, devices: [d], paths: [{set: pair}]}
  - {name: f, paths: [{server: old}]}
  - {name: g, devices: [d], paths: [{server: fresh}, {server: old}]}
`

// TestWaves: wave by wave every queue leads elsewhere first, its old path behind the new one; and the way back gives the
// estate that there was, to the letter.
func TestWaves(t *testing.T) {
	t.Parallel()
	for _, to := range []decommission.Wave{{From: "old", To: "server", Server: "fresh"}, {From: "old", To: "device"},
		{From: "old", To: "gateway"}} {
		doc := worlds.Parse(t, fiveQueues)
		var far decommission.Progress
		var waves []string
		for i := 0; i < 6 && (i == 0 || far.Moved < far.All); i++ {
			w := to
			w.Percent = 40
			edits, moved, p, err := w.Edits(doc, nil)
			if err != nil {
				t.Fatal(err)
			}
			n := 0
			for _, m := range moved {
				if m.Moved {
					n++
				}
			}
			if n > 2 || len(edits) != n || n == 0 && p.Moved < p.All-1 {
				t.Fatalf("%+v: a wave of 40 %% of %d moves %d: %+v", to, p.All, n, moved)
			}
			doc, far = worlds.With(t, doc, edits), p
			waves = append(waves, fmt.Sprint(p.Moved))
			if n == 0 {
				break
			}
		}
		want := 5 // a, b, e, f and g
		if to.To == "device" {
			want = 4 // f has no device
		}
		if to.To == "gateway" {
			want = 4
		}
		if far.All != 5 || far.Moved != want {
			t.Errorf("%+v: %s of %d lead elsewhere", to, strings.Join(waves, ", "), far.All)
		}
		for _, q := range doc.Queues {
			i := slices.IndexFunc(q.Paths, func(p estate.Path) bool { return p.Server == "old" || p.Set == "pair" })
			if q.Name != "c" && i < 0 || q.Name == "b" && i != 1 {
				t.Errorf("%+v: %s has %+v", to, q.Name, q.Paths)
			}
			if q.Name == "a" && to.To == "server" && (q.Paths[0].RemoteName != "A1" || len(q.Paths[0].At) != 1) {
				t.Errorf("%s has %+v", q.Name, q.Paths)
			}
		}
		back := to
		back.Back = true
		edits, _, p, err := back.Edits(doc, nil)
		if err != nil {
			t.Fatal(err)
		}
		after := worlds.With(t, doc, edits)
		left := 0
		for i, q := range worlds.Parse(t, fiveQueues).Queues {
			if !estate.SameQueue(&q, &after.Queues[i]) && q.Name != "g" { // g led there before
				t.Errorf("%+v, back: %s was %+v and is %+v", to, q.Name, q.Paths, after.Queues[i].Paths)
			}
		}
		if p.Moved != left {
			t.Errorf("%+v, back: %+v", to, p)
		}
	}
}

// TestWaveRefused: what cannot be is said with how to mend it.
func TestWaveRefused(t *testing.T) {
	t.Parallel()
	doc := worlds.Parse(t, fiveQueues)
	for says, w := range map[string]decommission.Wave{
		"has no server \"x\"":   {From: "x", To: "device"},
		"has no server \"y\"":   {From: "old", To: "server", Server: "y"},
		"to itself":             {From: "old", To: "server", Server: "old"},
		"cannot be moved to":    {From: "old", To: "moon"},
		"is no part":            {From: "old", To: "device", Percent: 101},
		"does not lead through": {From: "old", To: "device", Only: []string{"c"}},
	} {
		if _, _, _, err := w.Edits(doc, nil); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%+v: %v", w, err)
		}
	}
}

// TestEnd: a path goes once the queue leads elsewhere first, no endpoint leads there, and nobody has printed there for
// long enough, as far as that is known; of each other it is said what holds it.
func TestEnd(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
	day := 24 * time.Hour
	base := decommission.End{From: "old", Quiet: 14 * day, Now: now, Led: func(string) int { return 0 },
		Known: decommission.Known{Since: now.Add(-30 * day), Read: now, Told: true}}
	for name, c := range map[string]struct {
		change func(*decommission.End)
		says   string // of g; empty where it goes
	}{
		"all quiet": {func(*decommission.End) {}, ""},
		"printed long ago": {func(e *decommission.End) {
			e.Uses = []decommission.Use{{Server: "old", Queue: "g", Owner: "ida", Last: now.Add(-15 * day)}}
		}, ""},
		"printed elsewhere": {func(e *decommission.End) {
			e.Uses = []decommission.Use{{Server: "fresh", Queue: "g", Last: now}, {Server: "old", Queue: "x", Last: now}}
		}, ""},
		"printed lately": {func(e *decommission.End) {
			e.Uses = []decommission.Use{{Server: "old", Queue: "g", Owner: "ida", From: "desk-9", Last: now.Add(-2 * day)},
				{Server: "old", Queue: "g", Owner: "mira", Last: now.Add(-3 * day)}}
		}, "ida printed there from desk-9 2d ago, and 14d without anybody are wanted"},
		"led there":       {func(e *decommission.End) { e.Led = func(string) int { return 2 } }, "2 endpoints lead there still"},
		"not known":       {func(e *decommission.End) { e.Known = decommission.Known{} }, "it is not known who prints there"},
		"not known long":  {func(e *decommission.End) { e.Known.Since = now.Add(-day) }, "is known for 1d only"},
		"a shorter quiet": {func(e *decommission.End) { e.Known.Since, e.Quiet = now.Add(-day), time.Hour }, ""},
		"not to be read": {func(e *decommission.End) { e.Known = decommission.Known{Says: "it refuses"} },
			"its lists of ended jobs cannot be read: it refuses"},
		"not to be read any more": {func(e *decommission.End) { e.Known.Read, e.Known.Says = now.Add(-2*day), "it is silent" },
			"its lists of ended jobs were last read 2d ago; now: it is silent"},
		"told of no job ever": {func(e *decommission.End) { e.Known.Told = false }, "which proves nothing"},
	} {
		e := base
		c.change(&e)
		doc := worlds.Parse(t, fiveQueues)
		edits, moved, err := e.Edits(doc)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range moved {
			want := map[string]string{"a": "leads there first", "b": "leads there first", "e": "through a set",
				"f": "leads there first", "g": c.says}[m.Queue]
			if m.Moved != (want == "") || !strings.Contains(m.Says, want) {
				t.Errorf("%s: %+v, want %q", name, m, want)
			}
		}
		if (len(edits) == 1) != (c.says == "") {
			t.Errorf("%s: %d edits", name, len(edits))
		}
		for _, q := range worlds.With(t, doc, edits).Queues {
			if q.Name == "g" && c.says == "" && len(q.Paths) != 1 {
				t.Errorf("%s: %+v", name, q.Paths)
			}
		}
	}
}

// TestKnown: silence is known of without a gap from when a server's lists were first read; what cannot be read proves
// nothing, and after a longer pause only a list that reaches back to it.
func TestKnown(t *testing.T) {
	t.Parallel()
	at := func(hours float64) time.Time {
		return time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(hours * float64(time.Hour)))
	}
	type r = decommission.Reading
	for says, c := range map[string]struct {
		readings []r
		since    time.Time
		told     bool
	}{
		"none":                      {nil, time.Time{}, false},
		"refused":                   {[]r{{At: at(0), Says: "no"}}, time.Time{}, false},
		"empty, and again":          {[]r{{At: at(0)}, {At: at(1)}}, at(0), false},
		"from the oldest job on":    {[]r{{At: at(0), Oldest: at(-50)}}, at(-50), true},
		"jobs of the future":        {[]r{{At: at(0), Oldest: at(5)}}, at(0), true},
		"the list moves on":         {[]r{{At: at(0), Oldest: at(-50)}, {At: at(1), Oldest: at(-10)}}, at(-50), true},
		"a short pause":             {[]r{{At: at(0)}, {At: at(1), Says: "no"}, {At: at(2), Oldest: at(1.5)}}, at(0), true},
		"a long one, bridged":       {[]r{{At: at(0)}, {At: at(9), Says: "no"}, {At: at(90), Oldest: at(-1)}}, at(-1), true},
		"a long one, and forgotten": {[]r{{At: at(0), Oldest: at(-9)}, {At: at(90), Oldest: at(80)}}, at(80), true},
		"a long one, and empty":     {[]r{{At: at(0), Oldest: at(-9)}, {At: at(90)}, {At: at(91)}}, at(90), true},
	} {
		k := decommission.Known{}
		for _, x := range c.readings {
			k = k.After(x)
			if k.Says != x.Says {
				t.Errorf("%s: %q after %q", says, k.Says, x.Says)
			}
		}
		if !k.Since.Equal(c.since) || k.Told != c.told {
			t.Errorf("%s: %+v", says, k)
		}
	}
}
