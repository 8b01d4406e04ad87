package directory

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"cirque/core/name"
)

func people(links Links) *Directory {
	return New(Records{
		Users: []User{
			{Name: "m.solvang", Email: "mira@skerry.example", Employee: "17", Unit: "hr/harbour", Source: "hr",
				ExternalID: "h1"},
			{Name: "olav", Email: "office@skerry.example", Source: "hr", ExternalID: "h2"},
			{Name: "runa", Employee: "9", Source: "hr", ExternalID: "h3"},
			{Name: "mira.solvang", Email: "Mira@Skerry.example", Employee: "17", Unit: "staff/booking", Source: "skerry",
				ExternalID: "s1"},
			{Name: "olav.brandt", Email: "office@skerry.example", Source: "skerry", ExternalID: "s2"},
			{Name: "desk", Email: "office@skerry.example", Source: "skerry", ExternalID: "s3"},
			{Name: "RUNA", Employee: "10", Source: "skerry", ExternalID: "s4"},
			{Name: "nora", Source: "file"}, {Name: "nils", Source: "file"},
			{Name: "twin", Employee: "17", Email: "twin@skerry.example", Source: "yard", ExternalID: "y1"},
		},
		Groups: []Group{
			{Name: "hr-all", Members: []string{"user:m.solvang", "user:runa"}, Source: "hr"},
			{Name: "booking", Members: []string{"user:mira.solvang"}, Source: "skerry"},
			{Name: "front", Members: []string{"group:booking"}, Source: "skerry"},
			{Name: "old", Members: []string{"user:skerry\\msol"}, Source: "skerry"},
		},
		Links: links,
	})
}

func groupsOf(d *Directory, called string) string {
	var out []string
	for _, g := range d.UserGroups(d.UserID(name.Fold(called))) {
		out = append(out, d.Group(g).Name)
	}
	slices.Sort(out)
	return strings.Join(out, " ")
}

func same(d *Directory, a, b string) bool {
	x, y := d.Primary(d.UserID(name.Fold(a))), d.Primary(d.UserID(name.Fold(b)))
	return x == y && x != NoMember
}

func TestLinks(t *testing.T) {
	t.Parallel()
	hr := Account{Source: "hr", ID: "h1", Name: "m.solvang"}
	skerry := Account{Source: "skerry", ID: "s1", Name: "mira.solvang"}
	for _, c := range []struct {
		says   string
		links  Links
		one    string // names that are one person, "a=b"
		two    string
		groups map[string]string
		people int
	}{
		{"no rule", Links{}, "runa=RUNA", "m.solvang=mira.solvang olav=olav.brandt",
			map[string]string{"mira.solvang": "booking front", "m.solvang": "hr-all", "runa": "hr-all"}, 9},
		{"by address", Links{ByAddress: true}, "m.solvang=mira.solvang", "olav=olav.brandt olav=desk twin=mira.solvang",
			map[string]string{"mira.solvang": "booking front hr-all", "m.solvang": "booking front hr-all"}, 8},
		{"by employee", Links{ByEmployee: true}, "m.solvang=mira.solvang twin=mira.solvang", "olav=olav.brandt",
			map[string]string{"twin": "booking front hr-all"}, 7},
		{"by hand", Links{ByHand: []Link{{ID: 1, A: skerry, B: hr}}}, "m.solvang=mira.solvang", "twin=mira.solvang",
			map[string]string{"m.solvang": "booking front hr-all"}, 8},
		{"by name, of a source without ids", Links{ByHand: []Link{{ID: 1, A: Account{Source: "file", Name: "Nils"}, B: hr}}},
			"m.solvang=nils", "m.solvang=nora", map[string]string{"nils": "hr-all"}, 8},
		{"unlinked", Links{ByAddress: true, ByEmployee: true, ByHand: []Link{{ID: 1, A: skerry, B: hr, Unlinked: true}}},
			"twin=m.solvang", "m.solvang=mira.solvang", map[string]string{"m.solvang": "hr-all"}, 8},
		{"a name that nobody knows", Links{ByHand: []Link{{ID: 1, A: skerry, B: Account{Name: `SKERRY\msol`}}}},
			`skerry\msol=mira.solvang`, "", map[string]string{`SKERRY\MSOL`: "booking front old",
				"mira.solvang": "booking front old"}, 9},
	} {
		d := people(c.links)
		for pair := range strings.FieldsSeq(c.one) {
			a, b, _ := strings.Cut(pair, "=")
			if !same(d, a, b) {
				t.Errorf("%s: %s are two", c.says, pair)
			}
		}
		for pair := range strings.FieldsSeq(c.two) {
			a, b, _ := strings.Cut(pair, "=")
			if same(d, a, b) {
				t.Errorf("%s: %s are one", c.says, pair)
			}
		}
		for who, want := range c.groups {
			if got := groupsOf(d, who); got != want {
				t.Errorf("%s: %s is in %q, want %q", c.says, who, got, want)
			}
		}
		if d.People() != c.people {
			t.Errorf("%s: %d people, want %d", c.says, d.People(), c.people)
		}
	}
	d := people(Links{ByAddress: true, ByHand: []Link{{ID: 7, A: skerry, B: hr, Author: "olav"}}})
	ties := d.Ties(d.UserID("m.solvang"))
	if len(ties) != 2 || ties[0].Name != "mira.solvang" || ties[0].How != "first" || ties[1].How != "hand" ||
		ties[1].By != "olav" || ties[1].Link != 7 {
		t.Errorf("%+v", ties)
	}
	if units := d.UserUnits(d.UserID("m.solvang")); len(units) != 2 {
		t.Error("units", units)
	}
	if own := d.AccountGroups(d.UserID("m.solvang")); len(own) != 1 || d.Group(own[0]).Name != "hr-all" {
		t.Error("what an account has itself", own)
	}
	if led := people(Links{ByAddress: true, Primary: "skerry"}); led.UserName(
		led.Primary(led.UserID("m.solvang"))) != "mira.solvang" || people(Links{ByAddress: true}).Primary(0) != 0 {
		t.Error("the source that leads does not")
	}
	if notes := d.Unlinked(); len(notes) != 1 || !strings.Contains(notes[0], "office@skerry.example") {
		t.Error(notes)
	}
	count := 0
	g, _ := d.GroupID("hr-all")
	d.EachUserIn(g, func(id MemberID) { count++ })
	if count != 2 || len(d.Chain("user", "m.solvang", mustGroup(d, "front"))) != 2 {
		t.Error("a group counts people", count)
	}
}

func mustGroup(d *Directory, called string) GroupID { id, _ := d.GroupID(called); return id }

// TestPersonHasAll: every account of a person has the same primary, groups, names and units; and rules alone never make
// one of two users of a source.
func TestPersonHasAll(t *testing.T) {
	t.Parallel()
	for seed := range uint64(200) {
		x := seed*2654435761 + 1
		next := func(n int) int { x ^= x << 13; x ^= x >> 7; x ^= x << 17; return int(x % uint64(n)) }
		var r Records
		for s := range 3 {
			for i := range 6 {
				r.Users = append(r.Users, User{Name: fmt.Sprintf("u%d-%d", s, i), Source: fmt.Sprint("s", s),
					ExternalID: fmt.Sprint(s, i), Email: fmt.Sprint("a", next(8)), Employee: fmt.Sprint(next(9))})
			}
		}
		r.Groups = []Group{{Name: "g", Source: "s0", Members: []string{"user:u0-1", "user:u1-2"}}}
		account := func() Account {
			u := r.Users[next(len(r.Users))]
			return Account{u.Source, u.ExternalID, u.Name}
		}
		r.Links = Links{ByAddress: true, ByEmployee: next(2) == 0}
		byHand := next(2) == 0
		if byHand {
			r.Links.ByHand = []Link{{ID: 1, A: account(), B: account()}}
		}
		d := New(r)
		for i, u := range r.Users {
			id := MemberID(i)
			primary := d.Primary(id)
			if d.Primary(primary) != primary {
				t.Fatal("a primary has a primary")
			}
			if !slices.Equal(d.UserGroups(id), d.UserGroups(primary)) || !slices.Equal(d.Names(id), d.Names(primary)) ||
				!slices.Equal(d.UserUnits(id), d.UserUnits(primary)) {
				t.Fatalf("%s has not what its person has", u.Name)
			}
			if primary != id && !slices.Contains(d.Names(id), name.Fold(u.Name)) {
				t.Fatalf("%s is not among the names", u.Name)
			}
			for _, tie := range d.Ties(id) {
				if !byHand && tie.Source == u.Source && tie.Name != u.Name {
					t.Fatalf("%s and %s of one source are one", tie.Name, u.Name)
				}
			}
		}
	}
}
