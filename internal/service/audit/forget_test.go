package audit

import (
	"context"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/page"
	"cirque/internal/testkit/rooms"
)

// store notes what it is asked to forget.
type store struct {
	Store
	seen, done time.Time
	want       event.Filter
}

func (s *store) ForgetEvents(_ context.Context, seen, done time.Time, _ int) (int64, error) {
	s.seen, s.done = seen, done
	return 1, nil
}

func (s *store) Audit(_ context.Context, want event.Filter, _ page.Ask) (page.Page[event.Event], error) {
	s.want = want
	return page.Page[event.Event]{}, nil
}

// TestForget: what is older than the estate says is forgotten, and nothing where it says nothing of it.
func TestForget(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, "estate: 1\nsettings: {history: {event_days: 60}}", directory.Records{})
	kept := &store{}
	s := New(Config{Store: kept, Present: w.Present, Log: rooms.Quiet, Now: w.Now})
	if _, err := s.forget(t.Context()); err != nil || !kept.seen.Equal(rooms.Start.AddDate(0, 0, -60)) ||
		!kept.done.IsZero() {
		t.Error(kept.seen, kept.done, err)
	}
	w.Publish(t, "estate: 1\nsettings: {history: {event_days: 40, audit_days: 400}}")
	w.Refresh(t)
	if _, err := s.forget(t.Context()); err != nil || !kept.seen.Equal(rooms.Start.AddDate(0, 0, -40)) ||
		!kept.done.Equal(rooms.Start.AddDate(0, 0, -400)) {
		t.Error("another estate:", kept.seen, kept.done, err)
	}
}

// TestAuditIsForAuditors: who may read the fleet alone does not read who did what.
func TestAuditIsForAuditors(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, "estate: 1", directory.Records{})
	kept := &store{}
	s := New(Config{Store: kept, Present: w.Present, Log: rooms.Quiet, Now: w.Now})
	want := event.Filter{Author: "ida"}
	if _, err := s.Audit(t.Context(), rooms.Who(access.Auditor), want,
		page.Ask{}); err != nil || kept.want.Author != "ida" {
		t.Error(err)
	}
	kept.want = event.Filter{}
	if _, err := s.Audit(t.Context(), rooms.Who(access.HelpDesk), want, page.Ask{}); !fault.Is(err, fault.Denied) ||
		kept.want.Author != "" {
		t.Error("a help desk reads the audit:", err)
	}
}
