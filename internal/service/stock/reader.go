package stock

import (
	"context"
	"fmt"
	"sync"
	"time"

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
	slots := make(chan struct{}, readersMost)
	busy := map[[2]string]bool{} // by kind and name; only this goroutine writes
	done := make(chan [2]string, 2*readersMost)
	told := map[string]time.Time{} // of keys that end soon: for which end
	for ctx.Err() == nil {
		s.warnOfKeys(ctx, told)
		for _, kind := range []string{stock.KindServer, stock.KindDevice} {
			for _, l := range s.present.Watched(kind) {
				key := [2]string{kind, l.Name}
				if busy[key] || !s.due(l) {
					continue
				}
				select {
				case slots <- struct{}{}:
				default:
					continue // at the next look
				}
				busy[key] = true
				wg.Go(func() {
					if err := s.Read(ctx, l); err != nil && ctx.Err() == nil {
						s.log.Warn("a reading could not be kept", "kind", l.Kind, "name", l.Name, "error", err)
						worker.Pause(ctx, time.Second)
					}
					<-slots
					done <- key
				})
			}
		}
		t := time.NewTimer(time.Second)
		select {
		case <-ctx.Done():
		case key := <-done:
			delete(busy, key)
		case <-t.C:
		case <-s.present.View().Changed(): // a new estate may name others
		}
		t.Stop()
		for more := true; more; {
			select {
			case key := <-done:
				delete(busy, key)
			default:
				more = false
			}
		}
	}
	return nil
}

// warnOfKeys tells once of each key whose end is near.
func (s *Room) warnOfKeys(ctx context.Context, told map[string]time.Time) {
	for _, c := range s.present.Stock().Credentials {
		if c.Expires == nil || c.Expires.Sub(s.now()) > stock.ExpiresSoon || told[c.Name].Equal(*c.Expires) {
			continue
		}
		told[c.Name] = *c.Expires
		says := fmt.Sprintf("The key %s ends on %s", c.Name, c.Expires.Format(time.DateOnly))
		if c.Expires.Before(s.now()) {
			says = fmt.Sprintf("The key %s ended on %s", c.Name, c.Expires.Format(time.DateOnly))
		}
		if err := s.store.AddEvent(ctx, event.Event{Kind: event.KeyEnds, Subject: c.Name, Author: "stock-taking",
			Says: says}); err != nil && ctx.Err() == nil {
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
