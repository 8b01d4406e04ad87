package postgres_test

import (
	"slices"
	"testing"

	"cirque/core/estate"
	"cirque/internal/testkit"
)

// TestRevisionsNaming: a user is found in every revision that names them, under any writing, and in no other.
func TestRevisionsNaming(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	for _, entry := range []string{"user:Mira", "user:mira.solvang", "group:mira",
		`user:O"Neil & Søn`, "user:ΟΔΥΣΣΕΥΣ"} {
		if _, err := publish(ctx, s, &estate.Document{Estate: 1, Queues: []estate.Queue{{Name: "hall"}},
			Grants: []estate.Grant{{Name: "g", Effect: estate.Place, Queues: []string{"hall"},
				To: []string{entry}}}}); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		names []string
		want  []int
	}{{[]string{"mira"}, []int{1}}, {[]string{"mira", "mira.solvang"}, []int{2, 1}}, {[]string{`o"neil & søn`}, []int{4}},
		{[]string{"οδυσσευσ"}, []int{5}}, {[]string{"ida"}, []int{}}, {nil, []int{}}} {
		if got, err := s.Estates.RevisionsNaming(ctx, c.names); err != nil || !slices.Equal(got, c.want) {
			t.Errorf("%q: %v, want %v; %v", c.names, got, c.want, err)
		}
	}
}
