package directory

import (
	"fmt"
	"math/rand/v2"
	"testing"
)

// TestClaims: what is meant for a source's people holds for them alone, whatever another source calls its own.
func TestClaims(t *testing.T) {
	t.Parallel()
	user := func(source, called, unit string) User {
		return User{Name: called, Source: source, ExternalID: source + called, Unit: unit}
	}
	group := func(source, called string, members ...string) Group {
		return Group{Name: called, Source: source, ExternalID: source + called, Members: members}
	}
	d := New(Records{
		Users: []User{user("hq", "olav", "staff/it"), user("hq", "mira", "staff/desk"),
			user("hq", "rig", ""), user("contractors", "olav", "staff/it"),
			user("contractors", "eve", "staff/it/deep")},
		Groups: []Group{group("hq", "admins", "user:mira", "group:helpers", "group:theirs", "user:eve"),
			group("hq", "helpers", "user:olav"), group("contractors", "admins", "user:eve", "user:olav"),
			// The first source's group names one that only the second has, which lists somebody of the first.
			group("contractors", "theirs", "user:rig", "user:lone"), group("hq", "round", "group:round")},
	})
	hq := func(kind, called string) Claim { return Claim{"hq", kind, called} }
	for _, c := range []struct {
		claim  Claim
		source string
		user   string
		holds  bool
	}{
		{hq("everyone", ""), "hq", "olav", true}, {hq("everyone", ""), "contractors", "olav", false},
		{hq("user", "Olav"), "hq", "olav", true}, {hq("user", "olav"), "contractors", "olav", false},
		{hq("unit", "staff/it"), "hq", "olav", true}, {hq("unit", "staff/it"), "contractors", "olav", false},
		{hq("unit", "staff/it"), "contractors", "eve", false}, {hq("unit", "staff"), "hq", "mira", true},
		{hq("unit", "staff/it"), "hq", "mira", false}, {hq("unit", "nowhere"), "hq", "mira", false},
		{hq("group", "admins"), "hq", "mira", true}, {hq("group", "admins"), "hq", "olav", true},
		{hq("group", "admins"), "hq", "rig", false}, {hq("group", "admins"), "contractors", "olav", false},
		{hq("group", "admins"), "contractors", "eve", false},
		{Claim{"contractors", "group", "admins"}, "contractors", "olav", true},
		{Claim{"contractors", "group", "admins"}, "hq", "olav", false},
		{hq("group", "theirs"), "contractors", "eve", false}, {hq("group", "round"), "hq", "olav", false},
		{Claim{"", "everyone", ""}, "hq", "olav", false}, {Claim{"", "user", "olav"}, "hq", "olav", false},
		{hq("machine", "olav"), "hq", "olav", false},
	} {
		u, ok := d.UserOf(c.source, c.user)
		if !ok || u.Source != c.source {
			t.Fatalf("%s/%s is not there", c.source, c.user)
		}
		if got := c.claim.Holds(d, u); got != c.holds {
			t.Errorf("%+v for %s/%s: %v", c.claim, c.source, c.user, got)
		}
	}
}

// TestClaimsNeedTheirSource: in random directories of two sources, nothing that the second says makes a claim on the
// first hold for anybody for whom it did not hold without it.
func TestClaimsNeedTheirSource(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(7, 11))
	held := 0
	for range 400 {
		both, alone := Records{}, Records{}
		pick := func(kind string, n int) string { return fmt.Sprintf("%s:%c", kind, 'a'+r.IntN(n)) }
		for _, source := range []string{"hq", "other"} {
			names := r.Perm(7)
			for i := range 5 {
				u := User{Name: string(rune('a' + names[i])), Source: source, ExternalID: fmt.Sprint(source, i),
					Unit: []string{"", "x", "x/y", "z"}[r.IntN(4)]}
				g := Group{Name: string(rune('a' + i)), Source: source, ExternalID: fmt.Sprint(source, "g", i)}
				for range r.IntN(4) {
					g.Members = append(g.Members, pick([]string{"user", "group"}[r.IntN(2)], 7))
				}
				both.Users, both.Groups = append(both.Users, u), append(both.Groups, g)
				if source == "hq" {
					alone.Users, alone.Groups = append(alone.Users, u), append(alone.Groups, g)
				}
			}
		}
		r.Shuffle(len(both.Users), func(i, j int) { both.Users[i], both.Users[j] = both.Users[j], both.Users[i] })
		r.Shuffle(len(both.Groups), func(i, j int) { both.Groups[i], both.Groups[j] = both.Groups[j], both.Groups[i] })
		d, before := New(both), New(alone)
		for _, u := range both.Users {
			for _, c := range []Claim{{"hq", "everyone", ""}, {"hq", "user", "c"}, {"hq", "unit", "x"}, {"hq", "group", "a"},
				{"hq", "group", "b"}, {"hq", "group", "f"}} {
				was := false
				if u.Source == "hq" {
					w, ok := before.UserOf("hq", u.Name)
					was = ok && c.Holds(before, w)
				}
				if now := c.Holds(d, u); now && !was {
					t.Fatalf("%+v holds for %s/%s in %+v", c, u.Source, u.Name, both)
				} else if now {
					held++
				}
			}
		}
	}
	if held < 500 {
		t.Errorf("only %d claims held: they prove little", held)
	}
}

// TestSignsInAs: an account of one directory that signs people in is not whoever another has by that name, unless the
// owner said so.
func TestSignsInAs(t *testing.T) {
	t.Parallel()
	olav := func(source string) User {
		return User{Name: "olav", Source: source, ExternalID: source + "1", Email: "olav@skerry.example", Employee: "17"}
	}
	records := Records{Users: []User{olav("contractors"), olav("hq"), olav("payroll"),
		{Name: "Eve", Source: "contractors", ExternalID: "e"}, {Name: "eve", Source: "payroll", ExternalID: "e"}}}
	by := func(a, b Account, unlinked bool) Links {
		return Links{ByHand: []Link{{A: a, B: b, Unlinked: unlinked}}}
	}
	hq, contractors := Account{Source: "hq", ID: "hq1"}, Account{Source: "contractors", Name: "olav"}
	for what, c := range map[string]struct {
		links           Links
		hq, contractors string
	}{
		"nobody said":             {Links{}, "hq/olav", "contractors/olav"},
		"one is the primary":      {Links{Primary: "hq"}, "olav", "contractors/olav"},
		"by hand":                 {by(hq, contractors, false), "olav", "olav"},
		"by hand, the other way":  {by(contractors, hq, false), "olav", "olav"},
		"unlinked":                {by(hq, contractors, true), "hq/olav", "contractors/olav"},
		"somebody else's":         {by(hq, Account{Source: "contractors", Name: "eve"}, false), "hq/olav", "contractors/olav"},
		"by address":              {Links{ByAddress: true}, "olav", "olav"},
		"by employee number":      {Links{ByEmployee: true}, "olav", "olav"},
		"a source without people": {Links{Primary: "payroll"}, "hq/olav", "contractors/olav"},
	} {
		records.Links = c.links
		d := New(records)
		signing := []string{"contractors", "hq"}
		if got, _ := d.UserOf("hq", "olav"); SignsInAs(d, got, signing) != c.hq {
			t.Errorf("%s: hq's is %s", what, SignsInAs(d, got, signing))
		}
		if got, _ := d.UserOf("contractors", "olav"); SignsInAs(d, got, signing) != c.contractors {
			t.Errorf("%s: the contractors' is %s", what, SignsInAs(d, got, signing))
		}
		if got, _ := d.UserOf("contractors", "eve"); SignsInAs(d, got, signing) != "Eve" {
			t.Errorf("%s: a name that only the contractors sign in by is %s", what, SignsInAs(d, got, signing))
		}
	}
}
