package audit

import (
	"context"
	"time"

	"cirque/internal/service/worker"
)

// How often it is looked for events that are older than the estate keeps them, and how many are forgotten at once, so
// that nobody waits for it.
const (
	forgetEvery = 6 * time.Hour
	forgetMost  = 5000
)

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "events", Leased: true, Run: s.forgetEvents},
		{Name: "audit", Leased: true, Run: s.forward}}
}

// forgetEvents forgets what happened longer ago than the estate's settings say, until ctx is done.
func (s *Room) forgetEvents(ctx context.Context) error {
	for ctx.Err() == nil {
		n, err := s.forget(ctx)
		if err != nil && ctx.Err() == nil {
			s.log.Warn("old events could not be forgotten", "error", err)
		}
		if n < forgetMost {
			worker.Pause(ctx, forgetEvery)
		}
	}
	return nil
}

// forget forgets some, the oldest first.
func (s *Room) forget(ctx context.Context) (int64, error) {
	seen, done := s.present.View().Document().EventsKept()
	before := func(kept time.Duration) time.Time {
		if kept == 0 {
			return time.Time{}
		}
		return s.now().Add(-kept)
	}
	return s.store.ForgetEvents(ctx, before(seen), before(done), forgetMost)
}
