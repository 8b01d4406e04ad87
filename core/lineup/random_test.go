package lineup_test

import (
	"crypto/sha256"
	"encoding/json"
	"slices"
	"testing"
	"time"
	_ "time/tzdata"

	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/internal/testkit/worlds"
)

func zone(name string) *time.Location {
	z, err := time.LoadLocation(name)
	if err != nil {
		return nil
	}
	return z
}

// randomWorld makes one of the worlds of a seed, with its maker and its document as it was parsed.
func randomWorld(t *testing.T, seed int) (worlds.Maker, *estate.Document, *lineup.World) {
	t.Helper()
	m := worlds.New(uint64(seed))
	doc, records, state := m.Estate(), m.Directory(), m.Live()
	text, err := json.Marshal(doc)
	if err != nil {
		t.Fatal(err)
	}
	if doc, err = estate.Parse([]document.File{{Name: "w.json", Text: string(text)}}, estate.Options{}); err != nil {
		t.Fatalf("world %d is refused: %v\n%s", seed, err, text)
	}
	return m, doc, lineup.Bind(lineup.Compile(doc, seed, lineup.Options{Zone: zone}), directory.New(records), state)
}

// TestAgainstOracle holds Resolve against its slow twin in thousands of random worlds, and Why's verdict against both.
func TestAgainstOracle(t *testing.T) {
	t.Parallel()
	count := 4000
	if testing.Short() {
		count = 300
	}
	start := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	entries, sets, closed, left, effects := 0, 0, 0, map[lineup.Reason]int{}, map[string]int{}
	var scratch lineup.Scratch
	for seed := range count {
		m, doc, w := randomWorld(t, seed)
		for i, names := range w.Estate.SelectingEach() {
			if called := w.Estate.Document().Queues[i].Name; !slices.Equal(names, w.Estate.Selecting(called)) {
				t.Fatalf("%s is selected by %v, or by %v", called, names, w.Estate.Selecting(called))
			}
		}
		for range 12 {
			q := m.Query()
			c, err := q.Context(start.Add(time.Duration(m.IntN(14*24*60)) * time.Minute))
			if err != nil {
				t.Fatal(err)
			}
			got, err := w.Resolve(c, &scratch)
			if err != nil {
				t.Fatal(err)
			}
			checkJSON(t, got)
			checkAsked(t, w, c, q, got)
			o := &oracle{doc: doc, dir: w.Directory.Records(), live: w.Live}
			o.setUp(c)
			wantEntries, wantLeft := o.resolve()
			a, _ := json.Marshal([]any{got.Entries, got.LeftOut})
			b, _ := json.Marshal([]any{wantEntries, wantLeft})
			if string(a) != string(b) {
				query, _ := json.Marshal(q)
				text, _ := json.Marshal(doc)
				t.Fatalf("world %d (%s), context %s\n got %s\nwant %s\nestate %s", seed, hash(string(text)), query, a, b, text)
			}
			entries += len(got.Entries)
			for _, e := range got.Entries {
				effects[e.Effect]++
				if e.Path.Set != nil {
					sets++
				}
				if e.NotAccepting != nil && *e.NotAccepting == "hours" {
					closed++
				}
			}
			for _, l := range got.LeftOut {
				left[l.Reason]++
			}
			checkWhy(t, w, c, doc, got)
		}
	}
	// A comparison of nothing with nothing proves nothing.
	if entries < count || len(left) != 7 || effects[lineup.Picked] < count/40 || sets < count/40 || closed < count/40 {
		t.Errorf("the worlds are too dull: %d entries %v, %d through sets, %d closed, left out %v", entries, effects, sets,
			closed, left)
	}
}

// checkAsked holds a context that is looked up once against one that is asked for anew.
func checkAsked(t *testing.T, w *lineup.World, c lineup.Context, q lineup.Query, got *lineup.Lineup) {
	t.Helper()
	var s lineup.Scratch
	asked, err := w.Ask(c, &s)
	if err != nil {
		t.Fatal(err)
	}
	other := c
	other.Time = c.Time.Add(11 * time.Hour)
	later, err := w.Resolve(other, nil)
	if err != nil {
		t.Fatal(err)
	}
	text := func(v any) string { b, _ := json.Marshal(v); return string(b) }
	if a, b := text(asked.At(other.Time)), text(later); a != b {
		t.Fatalf("context %s: asked %s, resolved %s", text(q), a, b)
	}
	l, hours := asked.AtWithHours(c.Time)
	if a, b := text(l), text(got); a != b {
		t.Fatalf("context %s: asked %s, resolved %s", text(q), a, b)
	}
	hours = slices.Clone(hours)
	if timed, err := w.Timed(c, &s, nil); err != nil || !slices.Equal(timed, hours) {
		t.Fatalf("context %s: depends on the hours %v, or %v: %v", text(q), hours, timed, err)
	}
}

// checkJSON holds the own encoding against that of encoding/json.
func checkJSON(t *testing.T, l *lineup.Lineup) {
	t.Helper()
	want, err := json.Marshal(l)
	if err != nil {
		t.Fatal(err)
	}
	a, b := sha256.New(), sha256.New()
	if got := l.AppendJSON(nil, a); string(got) != string(want) {
		t.Fatalf(" got %s\nwant %s", got, want)
	}
	later := *l
	later.Revision++
	later.Context.Time = later.Context.Time.Add(time.Hour)
	if later.AppendJSON(nil, b); string(a.Sum(nil)) != string(b.Sum(nil)) {
		t.Fatal("the sum depends on revision or time")
	}
}

func checkWhy(t *testing.T, w *lineup.World, c lineup.Context, doc *estate.Document, got *lineup.Lineup) {
	t.Helper()
	want := map[string]string{}
	for _, e := range got.Entries {
		want[e.Queue] = e.Effect
	}
	for _, l := range got.LeftOut {
		want[l.Queue] = string(l.Reason)
	}
	for _, q := range doc.Queues {
		y, err := lineup.Explain(w, c, q.Name)
		if err != nil {
			t.Fatal(err)
		}
		reason, ok := want[q.Name]
		if !ok {
			reason = lineup.NotGranted
		}
		if y.Reason != reason || y.Says == "" || y.Default == "" {
			t.Fatalf("why says %q (%s) of %s, the lineup %q", y.Reason, y.Says, q.Name, reason)
		}
		for _, g := range y.Grants {
			all := true
			for _, cond := range g.Conditions {
				all = all && cond.Holds
				if held := len(cond.Held) > 0; cond.Kind != "except" && held != cond.Holds || cond.Kind == "except" &&
					held == cond.Holds {
					t.Fatalf("condition %+v of %s contradicts itself", cond, g.Grant)
				}
			}
			counts := g.Matches && g.Effect != estate.Withhold
			if reason == lineup.NotGranted || y.Present {
				counts = y.Present && slices.Contains(y.Entry[0].Grants, g.Grant)
			}
			if y.Present && counts != g.Counts || g.Counts && !g.Matches || g.Says == "" {
				t.Fatalf("%s counts %v, the lineup has %v", g.Grant, g.Counts, y.Entry)
			}
			if all != g.Matches {
				t.Fatalf("grant %s matches %v, its conditions say %v", g.Grant, g.Matches, all)
			}
		}
		chosen, drivers := 0, 0
		for _, p := range y.Paths {
			if p.Chosen {
				chosen++
			}
		}
		for _, d := range y.Drivers {
			if d.Chosen {
				drivers++
			}
		}
		if y.Present && chosen != 1 || drivers > 1 {
			t.Fatalf("%s: %d paths and %d drivers chosen", q.Name, chosen, drivers)
		}
	}
}
