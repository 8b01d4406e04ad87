package lineup_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
)

// TestOverlaps: for each two grants what they come to together, or that they cannot hold for one person.
func TestOverlaps(t *testing.T) {
	t.Parallel()
	for called, c := range map[string]struct{ a, b, person, place, want string }{
		"one group, one person": {"effect: place, to: ['group:clerks']", "effect: place, to: ['user:mira']", "", "",
			"placed people=1 mira"},
		"two people":        {"effect: place, to: ['user:mira']", "effect: place, to: ['user:jonas']", "", "", ""},
		"place and offer":   {"effect: offer", "effect: place, to: ['group:clerks']", "", "", "placed by b people=2 jonas mira"},
		"withheld":          {"effect: place", "effect: withhold, to: ['user:temp']", "", "", "withheld by b people=1 temp"},
		"everyone":          {"effect: place", "effect: offer, to: [everyone]", "", "", "placed by a everyone people=3"},
		"excepted":          {"effect: place, to: ['group:clerks'], except: ['user:mira']", "effect: place, to: ['user:mira']", "", "", ""},
		"all but some":      {"effect: place, except: ['unit:staff']", "effect: place", "", "", "placed people=1 temp"},
		"other place":       {"effect: place, at: ['location:a']", "effect: place, at: ['location:b']", "", "", ""},
		"place below":       {"effect: place, at: ['location:a']", "effect: place, at: ['location:a/x']", "", "", "placed everyone people=3"},
		"its subnet":        {"effect: place, at: ['location:a/x']", "effect: place, at: ['subnet:10.9.0.0/16']", "", "", "placed everyone people=3"},
		"subnet elsewhere":  {"effect: place, at: ['location:b']", "effect: place, at: ['range:10.1.0.1-10.1.0.9']", "", "", ""},
		"subnet of nowhere": {"effect: place, at: ['location:b']", "effect: place, at: ['subnet:192.0.2.0/24']", "", "", "placed everyone people=3"},
		"ranges apart":      {"effect: place, at: ['range:10.0.0.1-10.0.0.5']", "effect: place, at: ['range:10.0.0.6-10.0.0.9']", "", "", ""},
		"sessions apart":    {"effect: place, sessions: [remote]", "effect: place, sessions: [desktop]", "", "", ""},
		"systems apart":     {"effect: place, platforms: [windows]", "effect: place, platforms: [linux/x64]", "", "", ""},
		"system and kind":   {"effect: place, platforms: [windows]", "effect: place, platforms: [windows/x64]", "", "", "placed everyone people=3"},
		"machines apart":    {"effect: place, on: ['machine:x']", "effect: place, on: ['machine:y']", "", "", ""},
		"default":           {"effect: place, default: 9", "effect: offer, default: 20", "", "", "placed by a default=b everyone people=3"},
		"tie":               {"effect: place, default: 9", "effect: place, default: 9", "", "", "placed tie everyone people=3"},
		"her":               {"effect: place, to: ['group:clerks']", "effect: place", "mira", "", "placed people=1 mira"},
		"not hers":          {"effect: place, to: ['group:clerks']", "effect: place", "temp", "", ""},
		"there":             {"effect: place, at: ['location:a/x']", "effect: place", "", "a", "placed everyone people=3"},
		"not there":         {"effect: place, at: ['location:a/x']", "effect: place", "", "b", ""},
	} {
		w := world(t, strings.Replace(checkEstate, "{path: b}", "{path: a/x}, {path: b}", 1)+
			"queues: [{name: q, devices: [p], paths: [{device: p}]}, {name: r, devices: [p], paths: [{device: p}]}]\n"+
			"grants: [{name: a, queues: [q], "+c.a+"}, {name: b, queues: [q, r], "+c.b+"}, {name: c, effect: place, queues: [r], sessions: [virtual], to: ['group:nobody']}]\n",
			checkDirectory)
		got, err := lineup.Overlaps(w, c.person, c.place)
		if err != nil {
			t.Fatal(err)
		}
		var says []string
		for _, v := range got {
			line := []string{v.Outcome}
			if v.Decides != "" {
				line = append(line, "by "+v.Decides)
			}
			if v.Default != "" {
				line = append(line, "default="+v.Default)
			}
			if v.Tie {
				line = append(line, "tie")
			}
			if v.Everyone {
				line = append(line, "everyone")
			}
			line = append(line, "people="+string(rune('0'+v.People)))
			slices.Sort(v.Names)
			says = append(says, strings.Join(append(line, v.Names...), " "))
			if v.A != "a" || v.B != "b" || !slices.Equal(v.Queues, []string{"q"}) {
				t.Errorf("%s: %+v", called, v)
			}
		}
		if all := strings.Join(says, "; "); all != c.want {
			t.Errorf("%s: %q, want %q", called, all, c.want)
		}
		if _, err := lineup.Overlaps(w, "", "a/z"); err == nil || fault.As(err).Code != "location-unknown" {
			t.Error(err)
		}
	}
}

// TestOverlapsFindAll: whatever two grants match for somebody of the directory at once is among them, also when it is
// looked for by the person or by the place. Left out is what Overlaps takes for impossible: an own location elsewhere
// than the address, several addresses of one family.
func TestOverlapsFindAll(t *testing.T) {
	t.Parallel()
	count := 400
	if testing.Short() {
		count = 40
	}
	start := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	found := 0
	var s lineup.Scratch
	for seed := range count {
		m, doc, w := randomWorld(t, seed)
		overlaps := func(person, place string) []lineup.Overlap {
			list, err := lineup.Overlaps(w, person, place)
			if err != nil {
				t.Fatal(err)
			}
			return list
		}
		all := overlaps("", "")
		for range 20 {
			c, err := m.Query().Context(start.Add(time.Duration(m.IntN(14*24*60)) * time.Minute))
			if err != nil || w.Directory.UserID(name.Fold(c.User)) == directory.NoMember {
				continue
			}
			got, err := w.Resolve(c, &s)
			if err != nil {
				t.Fatal(err)
			}
			place := ""
			if got.Context.Location != nil {
				place = *got.Context.Location
			}
			here := map[string][]lineup.Overlap{"all": all, "hers": overlaps(c.User, "")}
			if place != "" && c.Location == place {
				here["there"] = overlaps("", place)
			}
			for i, a := range doc.Grants {
				for _, b := range doc.Grants[i+1:] {
					if !w.Match(c, w.Estate.MarkGrants([]string{a.Name}), &s) || !w.Match(c, w.Estate.MarkGrants([]string{b.Name}), &s) ||
						!slices.ContainsFunc(w.Estate.Document().Queues, func(q estate.Queue) bool {
							by := w.Estate.Selecting(q.Name)
							return slices.Contains(by, a.Name) && slices.Contains(by, b.Name)
						}) || addressed(a.At) != addressed(b.At) || addressed(a.At) && len(c.Addresses) > 1 {
						continue
					}
					found++
					for of, list := range here {
						if of == "there" && (addressed(a.At) || addressed(b.At)) {
							continue
						}
						if !slices.ContainsFunc(list, func(v lineup.Overlap) bool {
							return v.A == min(a.Name, b.Name) && v.B == max(a.Name, b.Name)
						}) {
							t.Fatalf("world %d: %s and %s match for %s at %q, and %s has not both", seed, a.Name, b.Name, c.User, place, of)
						}
					}
				}
			}
		}
	}
	if found < count {
		t.Errorf("the worlds are too dull: %d pairs", found)
	}
}

// addressed says that a condition on places names addresses.
func addressed(at []string) bool {
	return slices.ContainsFunc(at, func(s string) bool { return !strings.HasPrefix(s, "location:") })
}
