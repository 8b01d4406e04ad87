package directory

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
)

// TestTreeChanges: what Apply tells, done to the rows as they were, gives the rows of a tree made anew, whatever is
// added, renamed, moved, turned into another kind, or taken away.
func TestTreeChanges(t *testing.T) {
	t.Parallel()
	for seed := range uint64(400) {
		rnd := rand.New(rand.NewPCG(seed, 5))
		kinds := []string{"user", "group", "machine"}
		serial := 0
		entry := func(id string) Entry {
			serial++
			e := Entry{ID: id, Kind: kinds[rnd.IntN(3)], Name: fmt.Sprintf("n%d", serial), DN: fmt.Sprintf("cn=%s,u=%d", id,
				rnd.IntN(3)), Unit: fmt.Sprint(rnd.IntN(3))}
			if e.Kind == "group" {
				for range rnd.IntN(4) {
					e.Members = append(e.Members, Member{DN: fmt.Sprintf("cn=%d,u=%d", rnd.IntN(12), rnd.IntN(3)), Name: []string{"",
						"user:else"}[rnd.IntN(2)]})
				}
			}
			return e
		}
		now := map[string]Entry{}
		for i := range 8 {
			now[fmt.Sprint(i)] = entry(fmt.Sprint(i))
		}
		tree := NewTree(slices.Collect(maps.Values(now)))
		kept := byKey(tree)
		for range 6 {
			var changed []Entry
			var gone []string
			for range 1 + rnd.IntN(4) {
				id := fmt.Sprint(rnd.IntN(12))
				if _, there := now[id]; there && rnd.IntN(3) == 0 {
					if !slices.ContainsFunc(changed, func(e Entry) bool { return e.ID == id }) {
						gone = append(gone, id)
						delete(now, id)
					}
				} else if !slices.Contains(gone, id) && !slices.ContainsFunc(changed, func(e Entry) bool { return e.ID == id }) {
					e := entry(id)
					now[id] = e
					changed = append(changed, e)
				}
			}
			d := tree.Apply(changed, gone)
			for _, r := range d.Gone {
				delete(kept, r.Kind+" "+r.ExternalID)
			}
			for _, r := range d.Rows {
				kept[r.Kind+" "+r.ExternalID] = string(r.Attributes)
			}
			if want := byKey(NewTree(slices.Collect(maps.Values(now)))); !maps.Equal(kept, want) {
				t.Fatalf("seed %d: %v, want %v after %v and without %v", seed, kept, want, changed, gone)
			}
		}
	}
}

func byKey(t *Tree) map[string]string {
	rows, _ := t.Rows()
	out := map[string]string{}
	for _, r := range rows {
		out[r.Kind+" "+r.ExternalID] = string(r.Attributes)
	}
	return out
}

func TestUnitMoved(t *testing.T) {
	t.Parallel()
	tree := NewTree([]Entry{{ID: "1", Kind: "unit", DN: "ou=a", Name: "unit"}, {ID: "2", Kind: "user", Name: "u",
		DN: "uid=u,ou=a", Unit: "a"}})
	if d := tree.Apply([]Entry{{ID: "1", Kind: "unit", DN: "ou=a", Name: "unit"}}, nil); d.Whole {
		t.Error("a unit that stays asks for a whole pass")
	}
	if d := tree.Apply([]Entry{{ID: "1", Kind: "unit", DN: "ou=b", Name: "unit"}}, nil); !d.Whole {
		t.Error("a unit was renamed, and all below with it, and no whole pass is asked for")
	}
}

func TestTooMuch(t *testing.T) {
	t.Parallel()
	rows := func(users, groups int) (out []Row) {
		for range users {
			out = append(out, Row{Kind: "user"})
		}
		for range groups {
			out = append(out, Row{Kind: "group"})
		}
		return out
	}
	for _, c := range []struct {
		have, removed []Row
		share         int
		want          string
	}{
		{rows(100, 10), nil, 20, ""},
		{rows(100, 10), rows(20, 0), 20, ""},
		{rows(100, 10), rows(21, 0), 20, "21 of 100 users would disappear"},
		{rows(100, 900), rows(100, 0), 20, "100 of 100 users would disappear"}, // a tenth of all, but everybody
		{rows(100, 10), rows(0, 5), 20, ""},                                    // a handful
		{rows(100, 3), rows(0, 3), 20, "3 of 3 groups would disappear"},
		{rows(1, 0), rows(1, 0), 20, ""},
		{rows(100, 0), rows(100, 0), 100, ""},
	} {
		if got := TooMuch(CountRows(c.have), CountRows(c.removed), c.share); got != c.want {
			t.Errorf("%d of %d: %q, want %q", len(c.removed), len(c.have), got, c.want)
		}
	}
}

func TestNextRun(t *testing.T) {
	t.Parallel()
	at := func(minutes int) *time.Time {
		v := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC).Add(time.Duration(minutes) * time.Minute)
		return &v
	}
	run := func(kind, state string, minutes int) Run { return Run{Kind: kind, State: state, Ended: at(minutes)} }
	src := Source{At: *at(0), Every: 300, Whole: 3600}
	for _, c := range []struct {
		what  string
		runs  []Run // newest first
		at    int
		whole bool
	}{
		{"a new one at once", nil, 0, true},
		{"a dry pass does not count", []Run{run(RunDry, Done, 3)}, 0, true},
		{"after a whole pass", []Run{run(RunWhole, Done, 10)}, 15, false},
		{"after changes", []Run{run(RunChanges, Done, 20), run(RunWhole, Done, 10)}, 25, false},
		{"a whole one is due again", []Run{run(RunChanges, Done, 66), run(RunWhole, Done, 10)}, 71, true},
		{"after one failure", []Run{run(RunChanges, Failed, 20), run(RunWhole, Done, 10)}, 30, true},
		{"after three", []Run{run(RunWhole, Held, 40), run(RunWhole, Failed, 30), run(RunChanges, Failed, 20),
			run(RunWhole, Done, 10)}, 80, true},
		{"at most an hour", []Run{run(RunWhole, Failed, 5), run(RunWhole, Failed, 4), run(RunWhole, Failed, 3),
			run(RunWhole, Failed, 2), run(RunWhole, Failed, 1)}, 65, true},
		{"stopped", []Run{run(RunChanges, Stopped, 20), run(RunWhole, Done, 10)}, 25, false},
		{"one that goes on does not count", []Run{{Kind: RunWhole, State: Running}, run(RunWhole, Done, 10)}, 15, false},
	} {
		if next, whole := src.NextRun(c.runs); !next.Equal(*at(c.at)) || whole != c.whole {
			t.Errorf("%s: %s whole %v, want %s whole %v", c.what, next, whole, at(c.at), c.whole)
		}
	}
}

func TestSourceCheck(t *testing.T) {
	t.Parallel()
	good := Source{URL: " ldaps://d.skerry.example ", Base: "dc=skerry,dc=example"}
	if err := good.Check(); err != nil || good.Preset != PresetStandard || good.URL != "ldaps://d.skerry.example" {
		t.Error(good, err)
	}
	for place, s := range map[string]Source{
		"url":           {URL: "ldaps://u:p@d.example", Base: "b"},
		"url ":          {URL: "ldap://d.example", Bind: "cn=reader", Base: "b"},
		"start_tls":     {URL: "ldaps://d.example", StartTLS: true, Base: "b"},
		"base":          {URL: "ldaps://d.example"},
		"preset":        {URL: "ldaps://d.example", Base: "b", Preset: "other"},
		"removal_limit": {URL: "ldaps://d.example", Base: "b", RemovalLimit: 101},
		"every":         {URL: "ldaps://d.example", Base: "b", Every: 9},
	} {
		if f := fault.As(s.Check()); f == nil || len(f.Details) != 1 || f.Details[0].Place != strings.TrimSpace(place) ||
			f.Details[0].Fix == "" || !strings.HasPrefix(f.What, f.Details[0].Place) {
			t.Errorf("%s: %v", place, f)
		}
	}
}
