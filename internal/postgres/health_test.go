package postgres_test

import (
	"testing"
	"time"

	"cirque/core/continuity"
	"cirque/internal/testkit"
)

// TestHealth: what is kept comes back, the unwell alone where they are asked for, and each turn stays.
func TestHealth(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	list := []continuity.Health{
		{Kind: "device", Name: "d-hall", Verdict: continuity.Up, Since: at},
		{Kind: "device", Name: "d-quay", Verdict: continuity.Gone, Says: "refused", Since: at},
		{Kind: "server", Name: "ps-north", Verdict: continuity.Gone, Held: true, Since: at},
		{Kind: "server", Name: "ps-south", Verdict: continuity.Unproven, Since: at},
	}
	gone := func(h continuity.Health) bool { return h.Verdict == continuity.Gone }
	if err := s.Healths.SaveHealth(ctx, list, gone); err != nil {
		t.Fatal(err)
	}
	names := func(list []continuity.Health, err error) (out string) {
		if err != nil {
			t.Fatal(err)
		}
		for _, h := range list {
			out += h.Name + " "
		}
		return out
	}
	if got := names(s.Healths.Healths(ctx)); got != "d-hall d-quay ps-north ps-south " {
		t.Error("all:", got)
	}
	if got := names(s.Healths.Unwell(ctx)); got != "d-quay ps-north " {
		t.Error("unwell:", got)
	}
	if got, err := s.Healths.Verdicts(ctx); err != nil || len(got) != 4 || got[1].Name != "d-quay" ||
		got[1].Verdict != continuity.Gone || got[1].Says != "" {
		t.Errorf("verdicts: %+v %v", got, err)
	}
	list[1].Verdict, list[1].Since = continuity.Up, at.Add(time.Hour)
	if err := s.Healths.SaveHealth(ctx, list[1:2], func(continuity.Health) bool { return true }); err != nil {
		t.Fatal(err)
	}
	turns, err := s.Healths.HealthChanges(ctx, "device", "d-quay", at.Add(time.Minute))
	if err != nil || len(turns) != 2 || turns[0].Says != "refused" || turns[1].Verdict != continuity.Up {
		t.Errorf("%+v %v", turns, err)
	}
	if got := names(s.Healths.Unwell(ctx)); got != "ps-north " {
		t.Error("unwell later:", got)
	}
}
