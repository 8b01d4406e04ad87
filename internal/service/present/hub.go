package present

import (
	"crypto/rand"
	"slices"
	"strconv"
	"strings"
	"sync"

	"cirque/core/event"
)

// A Hub hands notices to whoever watches. One who does not keep up is told that notices were lost; one who was cut off
// is told what was missed, as far as it is kept.
type Hub struct {
	mu          sync.Mutex
	subscribers map[chan event.Signal]*subscriber // guarded by mu, with what they hold and what is below
	life        string                            // tells this process's numbers from those of others
	told        uint64                            // how many have been
	last        []event.Signal                    // the last of them, in a ring
}

// remembered is how many notices are kept for whoever was cut off.
const remembered = 1024

// subscriber is one who watches.
type subscriber struct {
	wants []string // by What; all where there are none
	lost  bool     // has lost some
}

// NewHub makes one that nobody watches.
func NewHub() *Hub {
	return &Hub{subscribers: map[chan event.Signal]*subscriber{}, life: rand.Text()[:10]}
}

// Send hands a notice to everybody who watches for it, and waits for nobody.
func (h *Hub) Send(n event.Signal) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.told++
	n.ID = h.now()
	if len(h.last) < remembered {
		h.last = append(h.last, n)
	} else {
		h.last[int((h.told-1)%remembered)] = n
	}
	for ch, s := range h.subscribers {
		if len(s.wants) > 0 && n.What != event.Lost && !slices.Contains(s.wants, n.What) {
			continue
		}
		tell := n
		if s.lost {
			tell = event.Signal{What: event.Lost, ID: n.ID}
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
	s := h.SubscribeAfter("", wants...)
	return s.Notices, s.Stop
}

// A Subscription is what somebody who watches is given.
type Subscription struct {
	At      string         // the ID of the last notice before it began: what is told after that is in Notices
	Missed  []event.Signal // told between the notice that was named and the beginning
	Notices <-chan event.Signal
	Stop    func()
}

// SubscribeAfter is as Subscribe, and gives what was told after the notice of an ID: where that is not known here any
// more, that notices were lost. An empty ID misses nothing.
func (h *Hub) SubscribeAfter(id string, wants ...string) Subscription {
	ch := make(chan event.Signal, 64)
	h.mu.Lock()
	defer h.mu.Unlock()
	h.subscribers[ch] = &subscriber{wants: wants}
	return Subscription{At: h.now(), Missed: h.after(id, wants), Notices: ch, Stop: func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.subscribers, ch)
	}}
}

// now is the ID of the last notice; of none yet where nothing was told.
func (h *Hub) now() string { return h.life + "-" + strconv.FormatUint(h.told, 10) }

func (h *Hub) after(id string, wants []string) []event.Signal {
	if id == "" {
		return nil
	}
	life, number, _ := strings.Cut(id, "-")
	from, err := strconv.ParseUint(number, 10, 64)
	if err != nil || life != h.life || from > h.told || h.told-from > uint64(len(h.last)) {
		return []event.Signal{{What: event.Lost, ID: h.now()}}
	}
	var out []event.Signal
	for n := from + 1; n <= h.told; n++ {
		s := h.last[int((n-1)%remembered)]
		if len(wants) == 0 || s.What == event.Lost || slices.Contains(wants, s.What) {
			out = append(out, s)
		}
	}
	return out
}
