package postgres_test

import (
	"context"
	"testing"
	"time"

	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/testkit"
)

// TestTimedDrafts: what waits is not edited and keeps what it kept; main is free meanwhile; one that is taken back at
// the moment at which it is published is not.
func TestTimedDrafts(t *testing.T) {
	t.Parallel()
	s, ctx := testkit.Store(t), t.Context()
	fresh := estate.Draft{Owner: "account mira", Author: "mira", Name: "main", Kept: []estate.Kept{
		{Ref: estate.Ref{List: "queues", Name: "hall"}, Object: []byte("{}")}}}
	d, err := s.Drafts.SaveDraft(ctx, fresh)
	if err != nil {
		t.Fatal(err)
	}
	at := time.Now().Add(time.Hour)
	saying := func(string) event.Event { return happening("x") }
	timed, err := s.Drafts.TimeDraft(ctx, d, estate.Timed{At: &at, Why: "in time"}, "main", saying)
	if err != nil || timed.Name == "main" || len(timed.Kept) != 1 || timed.Timed.Why != "in time" {
		t.Fatalf("%+v %v", timed, err)
	}
	if _, err := s.Drafts.TimeDraft(ctx, d, estate.Timed{At: &at}, "main", saying); !fault.Is(err, fault.Conflict) {
		t.Errorf("a draft that has moved on was given a time: %v", err)
	}
	edited := timed
	edited.Kept = nil
	if _, err := s.Drafts.SaveDraft(ctx, edited); !fault.Is(err, fault.Conflict) {
		t.Errorf("what waits was edited: %v", err)
	}
	if due, next, err := s.Drafts.DueDrafts(ctx, time.Now()); err != nil || len(due) != 0 || next == nil {
		t.Errorf("%+v %v %v", due, next, err)
	}
	if due, _, err := s.Drafts.DueDrafts(ctx, at); err != nil || len(due) != 1 {
		t.Errorf("%+v %v", due, err)
	}
	if _, err := s.Drafts.SaveDraft(ctx, fresh); err != nil {
		t.Errorf("main is not free: %v", err)
	}
	back, err := s.Drafts.UntimeDraft(ctx, timed, "it clashes", "main", happening("x"))
	if err != nil || back.Name != timed.Name || len(back.Kept) != 1 { // main is taken by now
		t.Errorf("%+v %v", back, err)
	}
	if list, err := s.Drafts.FailedDrafts(ctx); err != nil || len(list) != 1 || list[0].Timed.Failed != "it clashes" {
		t.Errorf("%+v %v", list, err)
	}
	if _, err := s.Estates.Publish(ctx, &timed, "mira", "in time", func(context.Context, int) (*estate.Document, error) {
		return &estate.Document{Estate: 1}, nil
	}); !fault.Is(err, fault.Conflict) {
		t.Errorf("taken back, it was published: %v", err)
	}
	if r, err := s.Estates.CurrentRevision(ctx); err != nil || r.Number != 0 {
		t.Errorf("%+v %v", r, err)
	}
}
