package present

import (
	"sync"

	"cirque/core/event"
)

// A Hub hands notices to whoever watches. One who does not keep up is told that notices were lost.
type Hub struct {
	mu          sync.Mutex
	subscribers map[chan event.Notice]bool // the value: has lost some. Guarded by mu.
}

// Send hands a notice to everybody who watches, and waits for nobody.
func (h *Hub) Send(n event.Notice) {
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

// Subscribe gives notices until stop is called.
func (h *Hub) Subscribe() (notices <-chan event.Notice, stop func()) {
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
