package postgres

import (
	"sync"
	"time"

	"cirque/core/event"
)

// An inbox lies between the connection on which notices come and whoever hears them: who reads a large part anew does
// not keep the connection from being tried meanwhile. What is put in is told in its order, one at a time.
type inbox struct {
	hear    func(event.Signal)
	current func(asOf time.Time)
	down    func(error)

	mu     sync.Mutex
	ready  *sync.Cond
	list   []message             // guarded by mu
	queued map[event.Signal]bool // of list; guarded by mu
	closed bool                  // guarded by mu
}

// A message is one of these.
type message struct {
	signal *event.Signal
	asOf   time.Time
	down   error
	then   func()
}

// inboxMost is how many notices wait; of more, everything is read again in their place.
const inboxMost = 10_000

func newInbox(hear func(event.Signal), current func(asOf time.Time), down func(error)) *inbox {
	b := &inbox{hear: hear, current: current, down: down, queued: map[event.Signal]bool{}}
	b.ready = sync.NewCond(&b.mu)
	return b
}

// put adds a message. A notice that waits already is not added again: whoever hears the first reads what both are
// about.
func (b *inbox) put(m message) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.list) >= inboxMost {
		lost := event.Signal{What: event.Lost}
		b.list, b.queued = []message{{signal: &lost}}, map[event.Signal]bool{lost: true}
	}
	if m.signal != nil {
		if b.queued[*m.signal] {
			return
		}
		b.queued[*m.signal] = true
	}
	b.list = append(b.list, m)
	b.ready.Signal()
}

// tell tells what is put in until close is called.
func (b *inbox) tell() {
	for {
		b.mu.Lock()
		for len(b.list) == 0 && !b.closed {
			b.ready.Wait()
		}
		if b.closed {
			b.mu.Unlock()
			return
		}
		m := b.list[0]
		b.list = b.list[1:]
		if m.signal != nil {
			delete(b.queued, *m.signal)
		}
		b.mu.Unlock()
		switch {
		case m.signal != nil:
			b.hear(*m.signal)
		case m.down != nil:
			b.down(m.down)
		case m.then != nil:
			m.then()
		default:
			b.current(m.asOf)
		}
	}
}

// close ends tell, whatever is left.
func (b *inbox) close() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.closed = true
	b.ready.Broadcast()
}
