package present

import (
	"sync"
	"sync/atomic"
	"time"

	"cirque/core/name"
)

// Agents lets waiting agents be called before their lineups change.
type Agents struct {
	mu      sync.Mutex
	waiting map[string]*waiting  // by folded machine. Guarded by mu.
	missed  map[string]time.Time // when a machine was called while none of its agents waited. Guarded by mu.

	polls atomic.Int64 // long polls under way, of agents and others
}

// waiting are a machine's agents that wait in this process.
type waiting struct {
	called chan struct{} // closed at the next call
	here   int
}

// A call that nobody waited for is remembered for so long: an agent asks again within its gap, at most an hour.
const (
	missedFor  = time.Hour
	missedMost = 100_000
)

// Wait notes that a machine's agent waits here, until left is called. called is closed at the next call, and is closed
// already where a call came while none waited.
func (a *Agents) Wait(machine string) (called <-chan struct{}, left func()) {
	a.mu.Lock()
	defer a.mu.Unlock()
	k := name.Fold(machine)
	w := a.waiting[k]
	if w == nil {
		w = &waiting{called: make(chan struct{})}
		a.waiting[k] = w
	}
	w.here++
	ch := w.called
	if _, missed := a.missed[k]; missed { // it was called between two of its polls
		delete(a.missed, k)
		ch = make(chan struct{})
		close(ch)
	}
	return ch, func() {
		a.mu.Lock()
		defer a.mu.Unlock()
		if w.here--; w.here <= 0 && a.waiting[k] == w {
			delete(a.waiting, k)
		}
	}
}

// Waits says whether a machine's agent is waiting in this process.
func (a *Agents) Waits(machine string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.waiting[name.Fold(machine)] != nil
}

// Wake calls a machine's agents.
func (a *Agents) Wake(machine string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	k := name.Fold(machine)
	if w := a.waiting[k]; w != nil {
		close(w.called)
		w.called = make(chan struct{})
		return
	}
	now := time.Now()
	if len(a.missed) >= missedMost {
		for k, at := range a.missed {
			if now.Sub(at) > missedFor {
				delete(a.missed, k)
			}
		}
	}
	if len(a.missed) < missedMost {
		a.missed[k] = now
	}
}

// Polling notes a long poll, until done is called.
func (a *Agents) Polling() (done func()) {
	a.polls.Add(1)
	return func() { a.polls.Add(-1) }
}

// Polls counts the long polls under way.
func (a *Agents) Polls() int { return int(a.polls.Load()) }
