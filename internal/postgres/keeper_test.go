package postgres_test

import (
	"slices"
	"testing"

	"cirque/core/event"
	"cirque/core/server"
	"cirque/internal/testkit"
)

// TestKeeperVersions: what an agent said has another version whenever it was written, also where somebody was erased,
// so that whoever has read it reads it again.
func TestKeeperVersions(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	report := server.Report{Machine: "Host-1", Found: []server.Found{{Now: server.Now{Want: server.Want{Name: "hall",
		People: server.People{Names: []string{"ida", "mira"}}}}}}}
	nothing := func(*bool) []event.Event { return nil }
	var before string
	see := func(when string, names ...string) {
		t.Helper()
		versions, err := s.Keepers.KeeperVersions(ctx)
		if err != nil || len(versions) != 1 || versions["host-1"] == before {
			t.Fatalf("%s: %v, before %q, %v", when, versions, before, err)
		}
		before = versions["host-1"]
		list, err := s.Keepers.KeepersOf(ctx, []string{"host-1", "host-2"})
		r := list["host-1"]
		if err != nil || len(list) != 1 || r.Version != before || r.Report.Machine != "Host-1" || r.LastSeen.IsZero() ||
			!slices.Equal(r.Report.Found[0].People.Names, names) {
			t.Errorf("%s: %+v, %v", when, list, err)
		}
	}
	for range 2 {
		if err := s.Keepers.SaveKept(ctx, report, nothing); err != nil {
			t.Fatal(err)
		}
		see("reported", "ida", "mira")
	}
	if _, err := s.Persons.ErasePerson(ctx, []string{"mira"}, nil, "test", "asked"); err != nil {
		t.Fatal(err)
	}
	see("erased", "ida")
}
