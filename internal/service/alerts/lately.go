package alerts

import (
	"context"
	"slices"
	"sync"
	"time"
)

// For how long what is wrong, but for endpoints, is not looked for again: it looks at all that is read and probed. A
// large stock takes longer, and is looked at for a tenth of the time at the most. Where that is no matter of moments
// whoever asks is told what was found last, no older than twice that, and it is looked for anew meanwhile.
const (
	faultsFresh = time.Second
	faultsRest  = 10
	faultsSlow  = 50 * time.Millisecond
)

// late keeps what was found last.
type late struct {
	sync.Mutex
	lookedFor // guarded by the mutex

	stale chan struct{} // somebody was told what is to be looked for anew
}

// lookedFor is what came of one look.
type lookedFor struct {
	list []aFault
	seen map[string]time.Time // by key: since when each fault is known, also those of endpoints
	at   time.Time            // zero before the first time
	took time.Duration        // by this machine's own clock
}

// lately is faults, and since when all are known. What it gives is not to be changed.
func (s *Room) lately(ctx context.Context) ([]aFault, map[string]time.Time, error) {
	s.late.Lock()
	defer s.late.Unlock() // so that several who ask at once have it looked for once
	age, rest := s.now().Sub(s.late.at), max(faultsFresh, faultsRest*s.late.took)
	switch {
	case s.late.at.IsZero() || age >= rest && (s.late.took < faultsSlow || age >= 2*rest):
		found, err := s.lookForFaults(ctx)
		if err != nil {
			return nil, nil, err
		}
		s.late.lookedFor = found
	case age >= rest:
		select {
		case s.late.stale <- struct{}{}:
		default: // it is being looked for
		}
	}
	return slices.Clone(s.late.list), s.late.seen, nil
}

// keepFaults looks anew for what somebody was told lately.
func (s *Room) keepFaults(ctx context.Context) error {
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-s.late.stale:
		}
		found, err := s.lookForFaults(ctx)
		if err != nil {
			return err
		}
		s.late.Lock()
		s.late.lookedFor = found
		s.late.Unlock()
	}
}

func (s *Room) lookForFaults(ctx context.Context) (found lookedFor, err error) {
	found.at = s.now()
	begin := time.Now()
	if found.list, err = s.faults(ctx); err != nil {
		return found, err
	}
	found.seen, err = s.store.SeenFaults(ctx)
	found.took = time.Since(begin)
	return found, err
}
