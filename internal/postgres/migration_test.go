package postgres_test

import (
	"testing"
	"time"

	"cirque/core/continuity"
	"cirque/core/event"
	"cirque/internal/postgres"
	"cirque/internal/testkit"
)

// TestStuckMigrates: what exercises of former versions said of whoever stayed becomes kinds.
func TestStuckMigrates(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	e, err := s.Exercises.AddExercise(ctx, continuity.Exercise{Server: "ps-1", Begun: time.Now().UTC(),
		Stuck: []continuity.Stuck{{Machine: "a", Says: "no other path serves hall, so it is kept"},
			{Machine: "b", Says: "it has said nothing since 2026-11-23 10:00 UTC"}, {Machine: "c", Says: "add of hall failed: no"},
			{Machine: "d", Says: "it has not said yet that it moved"}}}, event.Event{Kind: event.Exercised, Subject: "ps-1"})
	if err != nil {
		t.Fatal(err)
	}
	for range 2 { // also where it ran before
		if err := s.Exec(ctx, postgres.Migration("00019_stuck.sql")); err != nil {
			t.Fatal(err)
		}
	}
	got, err := s.Exercises.Exercise(ctx, e.ID)
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []continuity.StuckKind{continuity.StuckNoOther, continuity.StuckSilent, continuity.StuckFailed,
		continuity.StuckUnderWay} {
		if got.Stuck[i].Kind != want {
			t.Errorf("%q became %q", got.Stuck[i].Says, got.Stuck[i].Kind)
		}
	}
}
