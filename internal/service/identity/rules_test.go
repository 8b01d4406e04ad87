package identity_test

import (
	"context"
	"crypto/sha256"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/service/identity"
	"cirque/internal/testkit/rooms"
)

// store keeps rules in the world, and knows two directories.
type store struct {
	identity.Store
	world   *rooms.World
	sources []directory.Source
}

func (s *store) Sources(context.Context) ([]directory.Source, map[string][]byte, error) {
	return s.sources, nil, nil
}

func (s *store) AddRule(_ context.Context, r access.Rule) (access.Rule, error) {
	r.ID = int64(len(s.world.Accesses.Rules) + 1)
	s.world.Accesses.Rules = append(s.world.Accesses.Rules, r)
	return r, nil
}

// twoDirectories is a room with the directories hq and contractors, in both of which are an olav and a group admins.
func twoDirectories(t *testing.T) (*identity.Room, *store) {
	t.Helper()
	user := func(source, called, unit string) directory.User {
		return directory.User{Name: called, Source: source, ExternalID: source + "-" + called, Unit: unit}
	}
	w := rooms.New(t, "estate: 1\nlocations: [{path: ardholm}]", directory.Records{
		Users: []directory.User{user("hq", "olav", "staff/it"), user("hq", "mira", "staff"),
			user("contractors", "olav", "staff/it"), user("contractors", "eve", "staff/it")},
		Groups: []directory.Group{{Name: "admins", Source: "hq", Members: []string{"user:mira", "user:olav"}},
			{Name: "admins", Source: "contractors", Members: []string{"user:eve", "user:olav"}}},
	})
	w.Accesses.Accounts = map[string]access.Account{}
	w.Accesses.Signing = []string{"contractors", "hq"}
	w.Accesses.Sessions = map[[32]byte]access.Session{}
	for _, who := range []string{"hq/olav", "hq/mira", "contractors/olav", "contractors/eve"} {
		source, called, _ := strings.Cut(who, "/")
		w.Accesses.Accounts[name.Fold(who)] = access.Account{Name: who, Source: source, ExternalID: source + "-" + called}
	}
	s := &store{world: w, sources: []directory.Source{{Name: "hq", SignIn: true}, {Name: "contractors", SignIn: true},
		{Name: "archive"}}}
	w.Refresh(t)
	return identity.New(identity.Config{Store: s, Present: w.Present, Log: rooms.Quiet, Now: w.Now}), s
}

// roles gives what each account may, as its role now.
func roles(t *testing.T, r *identity.Room) map[string]access.Role {
	t.Helper()
	list, err := r.Accounts(t.Context(), rooms.Who(access.Owner))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]access.Role{}
	for _, a := range list {
		out[a.Name] = a.Role
	}
	return out
}

// TestRulesAreOfOneDirectory: what is given to a unit, user or group of one directory is held by nobody of another,
// whatever they are called there.
func TestRulesAreOfOneDirectory(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		who, source string
		hold        []string
	}{
		{"unit:staff/it", "hq", []string{"hq/olav"}}, {"user:olav", "hq", []string{"hq/olav"}},
		{"group:admins", "hq", []string{"hq/mira", "hq/olav"}}, {"everyone", "hq", []string{"hq/mira", "hq/olav"}},
		{"user:hq/olav", "", []string{"hq/olav"}}, {"group:contractors/admins", "", []string{"contractors/eve",
			"contractors/olav"}},
		{"unit:staff", "contractors", []string{"contractors/eve", "contractors/olav"}}, {"user:olav", "archive", nil},
	} {
		r, s := twoDirectories(t)
		rule, err := r.AddRule(t.Context(), rooms.Who(access.Owner), c.who, c.source, access.Holding{Role: access.Owner})
		if err != nil {
			t.Errorf("%s of %q: %v", c.who, c.source, err)
			continue
		}
		s.world.Refresh(t)
		var hold []string
		for who, role := range roles(t, r) {
			if role == access.Owner {
				hold = append(hold, who)
			}
		}
		if slices.Sort(hold); !slices.Equal(hold, c.hold) || rule.People != len(c.hold) {
			t.Errorf("%s of %q is held by %v (%d people), want %v", c.who, c.source, hold, rule.People, c.hold)
		}
	}
}

// TestRuleWithoutDirectory: where several could be meant, or none, nobody guesses; what an older version left open holds
// for nobody.
func TestRuleWithoutDirectory(t *testing.T) {
	t.Parallel()
	r, s := twoDirectories(t)
	add := func(who, source string) string {
		_, err := r.AddRule(t.Context(), rooms.Who(access.Owner), who, source, access.Holding{Role: access.Owner})
		if f := fault.As(err); f != nil {
			return f.Code + " " + f.Fix
		}
		return ""
	}
	for _, c := range []struct{ who, source, want string }{
		{"group:admins", "", "rule-source say which with source: hq, contractors"},
		{"group:admins", "nowhere", "rule-source name one of: hq, contractors, archive"},
		{"group:hq/admins", "contractors", ""}, // a name with a slash, of the one that is said
	} {
		if got := add(c.who, c.source); got != c.want {
			t.Errorf("%s of %q: %q, want %q", c.who, c.source, got, c.want)
		}
	}
	s.sources = s.sources[2:]
	if got := add("group:admins", ""); !strings.HasPrefix(got, "rule-source add one first") {
		t.Errorf("where nobody may sign in: %q", got)
	}
	s.world.Accesses.Rules = []access.Rule{{ID: 1, Who: "everyone", Holding: access.Holding{Role: access.Owner}}}
	s.world.Refresh(t)
	for who, role := range roles(t, r) {
		if role != access.Person {
			t.Errorf("%s is %s by a rule of no directory", who, role)
		}
	}
	// Rules from before may name their directory in front.
	s.world.Accesses.Rules = []access.Rule{{ID: 1, Who: "group:hq/admins", Source: "hq",
		Holding: access.Holding{Role: access.Auditor}}}
	s.world.Refresh(t)
	if got := roles(t, r); got["hq/mira"] != access.Auditor || got["contractors/eve"] != access.Person {
		t.Errorf("%v", got)
	}
}

// TestSignsInWhileTheSourceDoes: whoever is signed in through a directory is out when its people may sign in no longer.
func TestSignsInWhileTheSourceDoes(t *testing.T) {
	t.Parallel()
	r, s := twoDirectories(t)
	s.world.Accesses.Sessions[sha256.Sum256([]byte("x"))] = access.Session{Account: "contractors/eve",
		ExpiresAt: rooms.Start.Add(time.Hour)}
	s.world.Refresh(t)
	if p := r.BySession("x"); p == nil || p.User != "eve" {
		t.Fatalf("signed in: %+v", p)
	}
	s.world.Accesses.Signing = []string{"hq"}
	s.world.Refresh(t)
	if p := r.BySession("x"); p != nil {
		t.Errorf("still in: %+v", p)
	}
}
