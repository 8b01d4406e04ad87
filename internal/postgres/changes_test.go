package postgres_test

import (
	"fmt"
	"testing"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// TestLastChanges: of each object the revision that last made it, altered it or took it away.
func TestLastChanges(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	for _, text := range []string{
		"{estate: 1, queues: [{name: a, paths: [{gateway: true}]}, {name: b, paths: [{gateway: true}]}]}",
		"{estate: 1, locations: [{path: north}], subnets: [{cidr: 10.1.0.0/16, location: north}], " +
			"queues: [{name: a, title: A, paths: [{gateway: true}]}, {name: b, paths: [{gateway: true}]}]}",
		"{estate: 1, locations: [{path: north, title: North}], subnets: [{cidr: 10.1.0.0/16, location: north}], " +
			"queues: [{name: a, title: A, paths: [{gateway: true}]}], settings: {agents: {notice: Hello}}}",
		"{estate: 1, locations: [{path: north, title: North}], subnets: [{cidr: 10.1.0.0/16, location: north}], " +
			"queues: [{name: a, title: A, paths: [{gateway: true}]}], settings: {agents: {notice: Hello}, continuity: " +
			"{probe_seconds: 9}}}",
	} {
		doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: text}}, estate.Options{})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := publish(t.Context(), s, doc); err != nil {
			t.Fatal(err)
		}
	}
	want := map[estate.Ref]int{{List: "queues", Name: "a"}: 2, {List: "queues", Name: "b"}: 3, {List: "subnets",
		Name: "10.1.0.0/16"}: 2, {List: "locations", Name: "north"}: 3, {List: "settings", Name: "agents"}: 3,
		{List: "settings", Name: "continuity"}: 4, {List: "devices", Name: "none"}: 0}
	var refs []estate.Ref
	for r := range want {
		refs = append(refs, r)
	}
	for upTo := range 5 {
		got, err := s.Estates.LastChanges(t.Context(), refs, upTo)
		if err != nil {
			t.Fatal(err)
		}
		for r, number := range want {
			if number > upTo && upTo < 4 {
				continue // it has an earlier one, or none
			}
			if got[r].Number != number || number > 0 && got[r].Author == "" {
				t.Errorf("%s up to %d: %+v, want %d", r, upTo, got[r], number)
			}
		}
	}
}

// TestObjectPast: what each revision did to an object, under former names too.
func TestObjectPast(t *testing.T) {
	t.Parallel()
	s := testkit.Store(t)
	for _, text := range []string{
		"{estate: 1, queues: [{name: a, paths: [{gateway: true}]}], settings: {agents: {notice: Hello}}}",
		"{estate: 1, locations: [{path: north}], queues: [{name: a, paths: [{gateway: true}]}]}",
		"{estate: 1, locations: [{path: north}], queues: [{name: b, formerly: [a], paths: [{gateway: true}]}]}",
		"{estate: 1, locations: [{path: north}], queues: [{name: b, formerly: [a], title: B, paths: [{gateway: true}]}]}",
		"{estate: 1}",
	} {
		doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: text}}, estate.Options{})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := publish(t.Context(), s, doc); err != nil {
			t.Fatal(err)
		}
	}
	tellsPast(t, s)
	// A database from before it was kept comes to the same.
	for _, sql := range []string{"DROP TABLE revision_change; DROP FUNCTION note_changes(integer); DROP FUNCTION " +
		"objects_of(json)", postgres.Migration("00039_revision_change.sql")} {
		if err := s.Exec(t.Context(), sql); err != nil {
			t.Fatal(err)
		}
	}
	tellsPast(t, s)
	if err := s.Exec(t.Context(), "UPDATE revision_change SET object = ''"); err == nil {
		t.Error("what a revision changed can be altered")
	}
}

func tellsPast(t *testing.T, s *postgres.Store) {
	t.Helper()
	for _, c := range []struct {
		ref    estate.Ref
		former []string
		upTo   int
		want   string
	}{
		{estate.Ref{List: "queues", Name: "b"}, []string{"a"}, 5, "5 removed [] 4 changed [title] 3 changed [formerly " +
			"name] 1 added [name paths] "},
		{estate.Ref{List: "queues", Name: "b"}, nil, 4, "4 changed [title] 3 added [formerly name paths] "},
		{estate.Ref{List: "settings", Name: "agents"}, nil, 5, "2 removed [] 1 added [notice] "},
		{estate.Ref{List: "locations", Name: "north"}, nil, 3, "2 added [path] "},
		{estate.Ref{List: "devices", Name: "x"}, nil, 5, ""},
	} {
		got, err := s.Estates.Past(t.Context(), c.ref, c.former, c.upTo)
		text := ""
		for _, p := range got {
			text += fmt.Sprint(p.Revision.Number, " ", p.Kind, " ", p.Keys, " ")
		}
		if err != nil || text != c.want {
			t.Errorf("%s: %s %v", c.ref, text, err)
		}
	}
}
