package stock

import (
	"context"
	"sync"
	"time"

	"golang.org/x/sync/semaphore"

	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/stock"
	"cirque/internal/service/worker"
)

// How often the stock is read where Config does not say, and how soon what does not answer is tried again.
const (
	ServersEvery = 5 * time.Minute
	DevicesEvery = 15 * time.Minute
	retryAfter   = time.Minute
	readersMost  = 48 // readings at a time
)

// readAll reads what is due, until ctx is done or the database is away: then another process may have begun.
func (s *Room) readAll(ctx context.Context) error {
	var wg sync.WaitGroup
	defer wg.Wait()
	slots := semaphore.NewWeighted(readersMost)
	busy := map[[2]string]bool{} // by kind and name; only this goroutine writes
	done := make(chan [2]string, 2*readersMost)
	told := map[string]time.Time{} // of keys that end soon: for which end
	var due []stock.Listed         // what is to be read and waits for its turn
	look := time.NewTicker(lookEvery)
	defer look.Stop()
	fresh, doc := true, (*estate.Document)(nil)
	for ctx.Err() == nil {
		if fresh {
			s.warnOfKeys(ctx, told)
			due, doc = s.dueNow(due[:0], busy), s.present.View().Document()
			fresh = false
		}
		for len(due) > 0 && slots.TryAcquire(1) {
			l := due[0]
			due = due[1:]
			key := [2]string{l.Kind, l.Name}
			busy[key] = true
			wg.Go(func() {
				if err := s.Read(ctx, l); err != nil && ctx.Err() == nil {
					s.log.Warn("a reading could not be kept", "kind", l.Kind, "name", l.Name, "error", err)
					worker.Pause(ctx, time.Second)
				}
				slots.Release(1)
				done <- key
			})
		}
		select {
		case <-ctx.Done():
		case key := <-done:
			delete(busy, key)
		case <-look.C:
			fresh = true
		case <-s.present.View().Changed(): // a new estate may name others
			fresh = s.present.View().Document() != doc
		}
	}
	return nil
}

// lookEvery is how often it is looked what is due: with all servers and devices that costs something.
const lookEvery = time.Second

// dueNow gives what is to be read and is not being read.
func (s *Room) dueNow(due []stock.Listed, busy map[[2]string]bool) []stock.Listed {
	for _, kind := range []string{stock.KindServer, stock.KindDevice} {
		for _, l := range s.present.Watched(kind) {
			if !busy[[2]string{kind, l.Name}] && l.Machine == "" && s.due(l) {
				due = append(due, l)
			}
		}
	}
	return due
}

// warnOfKeys tells once of each key whose end is near.
func (s *Room) warnOfKeys(ctx context.Context, told map[string]time.Time) {
	for _, c := range s.present.Stock().Credentials {
		if c.Expires == nil || c.Expires.Sub(s.now()) > stock.ExpiresSoon || told[c.Name].Equal(*c.Expires) {
			continue
		}
		told[c.Name] = *c.Expires
		ends := "ends"
		if c.Expires.Before(s.now()) {
			ends = "ended"
		}
		if err := s.store.AddEvent(ctx, event.Event{Kind: event.KeyEnds, Subject: c.Name, Author: "stock-taking"}.Saying(
			"The key {name} {ends} on {day}", "name", c.Name, "ends", ends, "day",
			c.Expires.Format(time.DateOnly))); err != nil && ctx.Err() == nil {
			s.log.Warn("a key's end could not be told", "credential", c.Name, "error", err)
		}
	}
}

// due says whether something is to be read again. The names spread the moments, so that not all are asked at once.
func (s *Room) due(l stock.Listed) bool {
	if l.Check == nil {
		return true
	}
	every := s.cfg.ServersEvery
	if l.Kind == stock.KindDevice {
		every = s.cfg.DevicesEvery
	}
	if !l.Check.OK && every > retryAfter {
		// What has been away for long is asked less often, up to the interval.
		every = min(every, retryAfter+s.now().Sub(l.Check.Since)/4)
	}
	spread := 0
	for _, c := range []byte(l.Name) {
		spread = (spread*31 + int(c)) % 100
	}
	return s.now().Sub(l.Check.At) >= every+every*time.Duration(spread)/1000
}
