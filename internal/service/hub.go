package service

import (
	"context"
	"sync"

	"cirque/core/access"
	"cirque/core/event"
)

// hub hands notices to whoever watches. One who does not keep up is told that notices were lost.
type hub struct {
	mu          sync.Mutex
	subscribers map[chan event.Notice]bool // the value: has lost some. Guarded by mu.
}

func (h *hub) send(n event.Notice) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch, lost := range h.subscribers {
		tell := n
		if lost {
			tell = event.Notice{What: event.Lost}
		}
		select {
		case ch <- tell:
			h.subscribers[ch] = false
		default:
			h.subscribers[ch] = true
		}
	}
}

func (h *hub) subscribe() (<-chan event.Notice, func()) {
	ch := make(chan event.Notice, 64)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.subscribers[ch] = false
	return ch, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.subscribers, ch)
	}
}

// Watch gives notices until stop is called.
func (s *Service) Watch(_ context.Context, p *access.Principal) (<-chan event.Notice, func(), error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, nil, err
	}
	ch, stop := s.hub.subscribe()
	return ch, stop, nil
}

// Events lists what happened, newest first.
func (s *Service) Events(ctx context.Context, p *access.Principal, before int64, limit int) ([]event.Event, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	return s.store.Events(ctx, before, limit)
}
