package identity

import (
	"context"
	"sync"
	"time"
)

// A usage gathers when tokens or sessions were used, so that the database hears of it now and then rather than at every
// call.
type usage struct {
	mu    sync.Mutex
	fresh map[int64]time.Time // that the database has not heard of; guarded by mu
	last  map[int64]time.Time // of those that were used here lately; guarded by mu
}

// usageKept is for how long a use is remembered here.
const usageKept = 24 * time.Hour

func newUsage() *usage { return &usage{fresh: map[int64]time.Time{}, last: map[int64]time.Time{}} }

func (u *usage) note(id int64, at time.Time) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if at.After(u.last[id]) {
		u.fresh[id], u.last[id] = at, at
	}
}

// lately gives when one was used here; zero where it was not.
func (u *usage) lately(id int64) time.Time {
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.last[id]
}

// take gives what the database has not heard of.
func (u *usage) take() map[int64]time.Time {
	u.mu.Lock()
	defer u.mu.Unlock()
	out := u.fresh
	u.fresh = map[int64]time.Time{}
	for id, at := range u.last {
		if time.Since(at) > usageKept {
			delete(u.last, id)
		}
	}
	return out
}

// noteUsed tells the database what was used, until ctx is done.
func (s *Room) noteUsed(ctx context.Context) error {
	tick := time.NewTicker(30 * time.Second)
	defer tick.Stop()
	for last := false; !last; {
		select {
		case <-ctx.Done():
			last = true
		case <-tick.C:
		}
		for what, one := range map[string]struct {
			used *usage
			tell func(context.Context, map[int64]time.Time) error
		}{"tokens": {s.used, s.cfg.Tokens.TouchTokens}, "sessions": {s.sessions, s.cfg.Tokens.TouchSessions}} {
			used := one.used.take()
			if len(used) == 0 {
				continue
			}
			write, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
			if err := one.tell(write, used); err != nil {
				s.log.Warn("when they were used could not be noted", "what", what, "error", err)
			}
			cancel()
		}
	}
	return nil
}
