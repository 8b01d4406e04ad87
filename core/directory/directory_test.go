package directory

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"cirque/core/document"
	"cirque/core/fault"
)

func TestNesting(t *testing.T) {
	t.Parallel()
	r, err := Parse([]document.File{{Name: "d", Text: `
directory: 1
users: [{name: Mira.Solvang, unit: staff/a\/b/c}, {name: jonas}]
machines: [{name: till-07, unit: machines}]
groups:
  - {name: clerks, members: ["user:mira.solvang", "machine:TILL-07", "user:not.listed"]}
  - {name: Ticketing, members: ["group:CLERKS"]}
  - {name: front, members: ["group:ticketing", "group:round"]}
  - {name: round, members: ["group:front", "user:jonas"]}
  - {name: itself, members: ["group:itself"]}
`}})
	if err != nil {
		t.Fatal(err)
	}
	d := New(r)
	names := func(ids []GroupID) string {
		var out []string
		for _, id := range ids {
			out = append(out, d.Group(id).Name)
		}
		return strings.Join(out, " ")
	}
	for who, want := range map[string]string{"mira.solvang": "clerks Ticketing front round", "jonas": "front round",
		"not.listed": "clerks Ticketing front round", "nobody": ""} {
		if got := names(d.UserGroups(d.UserID(who))); got != want {
			t.Errorf("%s is in %q, want %q", who, got, want)
		}
	}
	if got := names(d.MachineGroups(d.MachineID("till-07"))); got != "clerks Ticketing front round" {
		t.Errorf("till-07 is in %q", got)
	}
	if got := d.Cycles(); !reflect.DeepEqual(got, [][]string{{"front", "round"}, {"itself"}}) {
		t.Errorf("cycles %v", got)
	}
	front, _ := d.GroupID("FRONT")
	if got := d.Chain("user", "MIRA.solvang", front); !reflect.DeepEqual(got, []string{"clerks", "Ticketing", "front"}) {
		t.Errorf("chain %v", got)
	}
	u := d.UserUnit(d.UserID("mira.solvang"))
	var path []string
	for ; u != NoUnit; u = d.UnitAbove(u) {
		path = append(path, d.UnitPath(u))
	}
	if !reflect.DeepEqual(path, []string{`staff/a\/b/c`, `staff/a\/b`, "staff"}) {
		t.Errorf("units %v", path)
	}
	if m, ok := d.Machine("Till-07"); !ok || m.Unit != "machines" {
		t.Errorf("%+v %v", m, ok)
	}
}

// TestNestingAgainstWalk holds the worked-out memberships against a plain walk, over random graphs full of cycles.
func TestNestingAgainstWalk(t *testing.T) {
	t.Parallel()
	for seed := range 500 {
		rnd := rand.New(rand.NewPCG(uint64(seed), 1))
		n := 1 + rnd.IntN(12)
		var r Records
		for g := range n {
			var members []string
			for range rnd.IntN(4) {
				if rnd.IntN(3) == 0 {
					members = append(members, fmt.Sprintf("user:u%d", rnd.IntN(4)))
				} else {
					members = append(members, fmt.Sprintf("group:g%d", rnd.IntN(n)))
				}
			}
			r.Groups = append(r.Groups, Group{Name: fmt.Sprintf("g%d", g), Members: members})
		}
		d := New(r)
		var in func(user string, g int, seen map[int]bool) bool
		in = func(user string, g int, seen map[int]bool) bool {
			if seen[g] {
				return false
			}
			seen[g] = true
			for _, m := range r.Groups[g].Members {
				var child int
				if m == "user:"+user {
					return true
				}
				if _, err := fmt.Sscanf(m, "group:g%d", &child); err == nil && in(user, child, seen) {
					return true
				}
			}
			return false
		}
		for u := range 4 {
			user := fmt.Sprintf("u%d", u)
			got := map[GroupID]bool{}
			for _, id := range d.UserGroups(d.UserID(user)) {
				got[id] = true
			}
			for g := range n {
				want := in(user, g, map[int]bool{})
				if got[GroupID(g)] != want {
					t.Fatalf("seed %d: %s in g%d: %v, want %v", seed, user, g, !want, want)
				}
				if chain := d.Chain("user", user, GroupID(g)); (len(chain) > 0) != want {
					t.Fatalf("seed %d: chain %v, in %v", seed, chain, want)
				}
			}
		}
	}
}

func TestRefused(t *testing.T) {
	t.Parallel()
	for title, c := range map[string]struct{ in, place, what string }{
		"twice, folded": {"directory: 1\nusers:\n  - {name: Mira}\n  - {name: MIRA}", "d:4", "already there, at d:3"},
		"control":       {"directory: 1\nusers: [{name: \"a\\tb\"}]", "d:2", "no name"},
		"member":        {"directory: 1\ngroups: [{name: g, members: [mira]}]", "d:2", `"mira" is no member`},
		"unit":          {"directory: 1\nusers: [{name: m, unit: a//b}]", "d:2", "no unit"},
		"key":           {"directory: 1\npeople: []", "d:2", "unknown key"},
		"empty list":    {"directory: 1\nusers: []", "d:2", "empty"},
		"no version":    {"users: [{name: m}]", "d:1", "missing"},
	} {
		_, err := Parse([]document.File{{Name: "d", Text: c.in}})
		f := fault.As(err)
		if f == nil || len(f.Details) != 1 || f.Details[0].Place != c.place || !strings.Contains(f.Details[0].What, c.what) {
			t.Errorf("%s: %v %v", title, err, f)
		}
	}
}

func TestCompare(t *testing.T) {
	t.Parallel()
	have := Records{Users: []User{{Name: "a"}, {Name: "b", Unit: "x"}, {Name: "Old Name", ExternalID: "id-1"}}}
	want := Records{Users: []User{{Name: "A"}, {Name: "b", Unit: "x"}, {Name: "New Name", ExternalID: "id-1"}},
		Machines: []Machine{{Name: "m"}}}
	c := Compare(have.Rows(), want.Rows())
	if len(c.Added) != 1 || c.Added[0].Name != "m" || len(c.Changed) != 2 || len(c.Removed) != 0 {
		t.Errorf("%+v", c)
	}
	var back Records
	for _, row := range want.Rows() {
		if err := back.Add(row, ""); err != nil {
			t.Fatal(err)
		}
	}
	if !reflect.DeepEqual(back, want) {
		t.Errorf("rows give back %+v", back)
	}
}
