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

// Watch gives notices until stop is called.
func (s *Service) Watch(_ context.Context, p *access.Principal) (<-chan event.Notice, func(), error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, nil, err
	}
	ch := make(chan event.Notice, 64)
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	s.hub.subscribers[ch] = false
	return ch, func() {
		s.hub.mu.Lock()
		defer s.hub.mu.Unlock()
		delete(s.hub.subscribers, ch)
	}, nil
}

// Events lists what happened, newest first.
func (s *Service) Events(ctx context.Context, p *access.Principal, before int64, limit int) ([]event.Event, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	return s.store.Events(ctx, before, limit)
}
