package lineup_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/lineup"
)

const endingEstate = `
estate: 1
locations: [{path: ard, timezone: Europe/Oslo}, {path: ard/hall}]
devices: [{name: d, uri: "ipp://10.0.0.1/ipp/print", location: ard/hall}]
queues:
  - {name: fair, location: ard/hall, devices: [d], paths: [{device: d}], until: 2026-11-30}
  - {name: hall, location: ard/hall, devices: [d], paths: [{device: d}]}
grants:
  - {name: guests, effect: offer, queues: [hall], to: ["user:mira"], until: "2026-11-29T18:00:00+01:00"}
  - {name: stand, effect: place, queues: [fair], to: ["user:mira"]}
`

// TestEnds: what has ended gives nothing, why says so, and what would bring it back really does; whoever waits is woken
// at the end; nothing counts as given that has ended.
func TestEnds(t *testing.T) {
	t.Parallel()
	w := world(t, endingEstate, "directory: 1\nusers: [{name: mira}]\n")
	at := func(s string) lineup.Context {
		when, err := time.Parse(time.RFC3339, s)
		if err != nil {
			t.Fatal(err)
		}
		return lineup.Context{User: "mira", Session: "desktop", Time: when}
	}
	has := func(c lineup.Context) string {
		l, err := w.Resolve(c, nil)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, e := range l.Entries {
			out = append(out, e.Queue)
		}
		slices.Sort(out)
		return strings.Join(out, " ")
	}
	for when, want := range map[string]string{"2026-11-29T16:59:59Z": "fair hall", "2026-11-29T17:00:00Z": "fair",
		"2026-11-30T22:59:59Z": "fair", "2026-11-30T23:00:00Z": ""} {
		if got := has(at(when)); got != want {
			t.Errorf("%s: %q, want %q", when, got, want)
		}
	}
	var s lineup.Scratch
	for from, want := range map[string]string{"2026-11-29T12:00:00Z": "2026-11-29T17:00:00Z",
		"2026-11-29T17:00:00Z": "2026-11-30T23:00:00Z"} {
		edge, ok, err := w.NextEdge(at(from), &s, false)
		if err != nil || !ok || edge.UTC().Format(time.RFC3339) != want {
			t.Errorf("after %s it changes at %s, %v, %v", from, edge, ok, err)
		}
	}
	late := at("2026-12-01T09:00:00Z")
	for queue, says := range map[string]string{"fair": "retired since its end, 2026-11-30",
		"hall": "guests, which failed by its end (until) alone"} {
		y, err := w.Why(late, queue)
		if err != nil || y.Present || !strings.Contains(y.Says, says) {
			t.Errorf("%s: %q, %v", queue, y.Says, err)
		}
		if !strings.Contains(y.Change, "a later until") {
			t.Errorf("%s: %s", queue, y.Change)
		}
	}
	for when, want := range map[string][]lineup.GivenState{"": {lineup.IsGiven, lineup.IsGiven},
		"2026-11-30T12:00:00Z": {lineup.IsGiven, lineup.ToNobody}, "2026-12-01T12:00:00Z": {lineup.IsRetired,
			lineup.ToNobody}} {
		now := time.Time{}
		if when != "" {
			now = at(when).Time
		}
		got := lineup.Givens(w, now)
		if got[0].State != want[0] || got[1].State != want[1] {
			t.Errorf("at %q: %+v", when, got)
		}
	}
	if lineup.CheckPick(w, "mira", "hall", late.Time) == nil || lineup.Offers(w, "mira", "hall", late.Time) ||
		lineup.Gives(w, "mira", "hall", late.Time) || !lineup.Gives(w, "mira", "hall", at("2026-11-29T12:00:00Z").Time) {
		t.Error("what has ended is offered, or what has not is none")
	}
	if a, b := w.Estate.Ended(at("2026-11-29T16:59:59Z").Time), w.Estate.Ended(late.Time); a != 0 || b != 2 {
		t.Errorf("%d and %d had ended", a, b)
	}
}

// TestPurpose: a queue for practice, or for programs alone, is never the default and cannot be picked where it is on
// nobody's list; nobody remarks that nobody has it.
func TestPurpose(t *testing.T) {
	t.Parallel()
	w := world(t, `
estate: 1
devices: [{name: d, uri: "ipp://10.0.0.1/ipp/print"}]
queues:
  - {name: class, devices: [d], paths: [{device: d}], purpose: practice}
  - {name: labels, devices: [d], paths: [{device: d}], purpose: helper}
  - {name: spare, devices: [d], paths: [{device: d}], purpose: practice}
  - {name: work, devices: [d], paths: [{device: d}]}
grants:
  - {name: all, effect: place, queues: [class, labels, work], default: 10}
  - {name: offered, effect: offer, queues: [labels]}
`, "directory: 1\nusers: [{name: mira}]\n")
	c := lineup.Context{User: "mira", Session: "desktop", Time: time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)}
	l, err := w.Resolve(c, nil)
	if err != nil {
		t.Fatal(err)
	}
	if e := l.Entries[0]; e.Queue != "work" || !e.Default || len(l.Entries) != 3 {
		t.Errorf("%+v", l.Entries)
	}
	if y, err := w.Why(c, "class"); err != nil || !strings.Contains(y.Default, "never is") {
		t.Errorf("%+v %v", y, err)
	}
	if err := lineup.CheckPick(w, "mira", "labels", c.Time); err == nil || !strings.Contains(err.Error(), "for programs") {
		t.Error(err)
	}
	for _, f := range lineup.Check(w.Estate, w.Directory) {
		if f.Object == "queue spare" {
			t.Errorf("%+v", f)
		}
	}
	if !w.Estate.ForPractice("class") || w.Estate.ForPractice("labels") {
		t.Error("what is for practice is not known")
	}
}

// TestEndings: what ends soon and what has ended is remarked on, with the queues that nobody receives any more.
func TestEndings(t *testing.T) {
	t.Parallel()
	w := world(t, endingEstate, "directory: 1\nusers: [{name: mira}]\n")
	for day, want := range map[int][]string{
		1:  {},
		20: {"queue fair: it ends soon: until is 2026-11-30", "grant guests: it ends soon: until is 2026-11-29T18:00:00+01:00"},
		30: {"queue fair: it ends soon: until is 2026-11-30", "grant guests: it has ended: until was 2026-11-29T18:00:00+01:00",
			"queue hall: the grants that gave it have ended, so nobody receives it"},
	} {
		got := []string{}
		for _, f := range lineup.Endings(w, time.Date(2026, 11, day, 12, 0, 0, 0, time.UTC)) {
			got = append(got, f.Object+": "+f.Says)
			if f.Fix == "" {
				t.Errorf("%+v says nothing of what to do", f)
			}
		}
		if !slices.Equal(got, want) {
			t.Errorf("on the %d.: %q", day, got)
		}
	}
}
