package present

import (
	"slices"
	"sync"

	"cirque/core/event"
)

// A Hub hands notices to whoever watches. One who does not keep up is told that notices were lost.
type Hub struct {
	mu          sync.Mutex
	subscribers map[chan event.Signal]*subscriber // guarded by mu, with what they hold
}

// subscriber is one who watches.
type subscriber struct {
	wants []string // by What; all where there are none
	lost  bool     // has lost some
}

// Send hands a notice to everybody who watches for it, and waits for nobody.
func (h *Hub) Send(n event.Signal) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for ch, s := range h.subscribers {
		if len(s.wants) > 0 && n.What != event.Lost && !slices.Contains(s.wants, n.What) {
			continue
		}
		tell := n
		if s.lost {
			tell = event.Signal{What: event.Lost}
		}
		select {
		case ch <- tell:
			s.lost = false
		default:
			s.lost = true
		}
	}
}

// Subscribe gives notices of what is named, and of what may have been lost, until stop is called; all where nothing is
// named.
func (h *Hub) Subscribe(wants ...string) (notices <-chan event.Signal, stop func()) {
	ch := make(chan event.Signal, 64)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.subscribers[ch] = &subscriber{wants: wants}
	return ch, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.subscribers, ch)
	}
}
