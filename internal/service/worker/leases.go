package worker

import (
	"context"
	"maps"
	"slices"
	"sync"
	"time"

	"cirque/core/lease"
)

// leases are those that this process has, and those that it waits for. A goroutine renews them while there are any.
type leases struct {
	cfg Config

	mu   sync.Mutex
	here map[string]chan struct{} // by name, of capacity 1: held by whoever has or awaits it in this process
	held map[string]*holding      // guarded by mu
	idle chan struct{}            // closed when nothing is held any more; nil then. Guarded by mu.
}

// A holding is a lease that somebody in this process works under.
type holding struct {
	of     *leases
	name   string
	number int64
	ctx    context.Context // ends before the lease does
	cancel context.CancelFunc

	mu    sync.Mutex
	until time.Time   // by this process's monotonic clock, when whoever works has to have stopped; guarded by mu
	timer *time.Timer // cancels ctx then; guarded by mu
	lost  bool        // somebody else has had it; guarded by mu
}

func newLeases(cfg Config) *leases {
	return &leases{cfg: cfg, here: map[string]chan struct{}{}, held: map[string]*holding{}}
}

// wait takes a lease as soon as it is free; it gives ctx's error where ctx ends first.
func (l *leases) wait(ctx context.Context, name string) (*holding, error) {
	l.mu.Lock()
	turn := l.here[name]
	if turn == nil {
		turn = make(chan struct{}, 1)
		l.here[name] = turn
	}
	l.mu.Unlock()
	select {
	case turn <- struct{}{}:
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	for {
		if h := l.take(ctx, name); h != nil {
			return h, nil
		}
		// What another process holds is looked at again twice before it can end.
		Pause(ctx, l.cfg.Lasts/12)
		if err := ctx.Err(); err != nil {
			<-turn
			return nil, err
		}
	}
}

// take claims one lease now; nil where another process has it, or the store does not answer.
func (l *leases) take(ctx context.Context, name string) *holding {
	if !l.fit() {
		return nil
	}
	sent := time.Now()
	within, cancel := context.WithTimeout(ctx, l.cfg.Lasts/3)
	defer cancel()
	got, err := l.cfg.Leases.Claim(within, l.cfg.Holder, []string{name}, l.cfg.Lasts)
	if err != nil {
		return nil
	}
	number, ok := got[name]
	if !ok {
		return nil
	}
	h := &holding{of: l, name: name, number: number}
	ctx, h.cancel = context.WithCancel(ctx)
	h.ctx = context.WithValue(ctx, lease.Key{}, lease.Held{Name: name, Number: number, Valid: h.valid})
	h.until = l.ends(sent)
	h.timer = time.AfterFunc(time.Until(h.until), h.cancel)
	l.mu.Lock()
	defer l.mu.Unlock()
	l.held[name] = h
	if l.idle == nil {
		l.idle = make(chan struct{})
		go l.renew(l.idle)
	}
	return h
}

func (l *leases) fit() bool { return l.cfg.Fit == nil || l.cfg.Fit() }

// ends is when a lease that was claimed at a moment has to be given up, well before it ends.
func (l *leases) ends(claimed time.Time) time.Time { return claimed.Add(l.cfg.Lasts * 4 / 5) }

// renew claims what is held again and again, until nothing is.
func (l *leases) renew(idle <-chan struct{}) {
	const looks = 5 // whether it is still fit, between two claims
	tick := time.NewTicker(l.cfg.Lasts / 3 / looks)
	defer tick.Stop()
	for n := 1; ; n++ {
		select {
		case <-idle:
			return
		case <-tick.C:
		}
		l.mu.Lock()
		names := slices.Collect(maps.Keys(l.held))
		if !l.fit() {
			for _, h := range l.held {
				h.cancel() // whoever works under it stops, and gives it back
			}
			names = nil
		}
		l.mu.Unlock()
		if n%looks != 0 {
			continue
		}
		if len(names) == 0 { // it has become idle while a question took as long as a tick, or is not fit
			continue
		}
		sent := time.Now()
		ctx, cancel := context.WithTimeout(context.Background(), l.cfg.Lasts/3)
		got, err := l.cfg.Leases.Claim(ctx, l.cfg.Holder, names, l.cfg.Lasts)
		cancel()
		if err != nil {
			continue // what is not renewed in time ends by itself
		}
		l.mu.Lock()
		var left []string // given back while they were being renewed
		for _, name := range names {
			if h := l.held[name]; h != nil {
				h.renewed(got[name], l.ends(sent))
			} else if _, ours := got[name]; ours {
				left = append(left, name)
			}
		}
		l.mu.Unlock()
		if len(left) > 0 {
			l.giveBack(left)
		}
	}
}

// renewed takes in that a lease was claimed anew: with the same number it goes on, with another it had ended meanwhile.
func (h *holding) renewed(number int64, until time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if number != h.number {
		h.lost = true
		h.cancel()
		return
	}
	if time.Now().Before(h.until) { // else its work was told to stop, and is not revived
		h.until = until
		h.timer.Reset(time.Until(until))
	}
}

// valid says whether the lease may still be relied on, also by a worker that was told to stop and writes down how far
// it came. It looks at the clock, since a process that was frozen wakes with timers that have not gone off yet.
func (h *holding) valid() bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	return !h.lost && time.Now().Before(h.until)
}

// release gives the lease back, once the work under it has ended.
func (h *holding) release() {
	h.cancel()
	h.mu.Lock()
	h.timer.Stop()
	h.mu.Unlock()
	l := h.of
	l.mu.Lock()
	delete(l.held, h.name)
	if len(l.held) == 0 {
		close(l.idle)
		l.idle = nil
	}
	turn := l.here[h.name]
	l.mu.Unlock()
	l.giveBack([]string{h.name})
	<-turn
}

// giveBack releases leases; what the store does not hear of ends by itself.
func (l *leases) giveBack(names []string) {
	ctx, cancel := context.WithTimeout(context.Background(), l.cfg.Lasts/3)
	defer cancel()
	if err := l.cfg.Leases.Release(ctx, l.cfg.Holder, names); err != nil {
		l.cfg.Log.Debug("leases were not given back", "names", names, "error", err)
	}
}

// Single grants every lease: for a service that is the only process on its store.
type Single struct{}

// Claim grants all.
func (Single) Claim(_ context.Context, _ string, names []string, _ time.Duration) (map[string]int64, error) {
	out := make(map[string]int64, len(names))
	for _, n := range names {
		out[n] = 1
	}
	return out, nil
}

// Release does nothing.
func (Single) Release(context.Context, string, []string) error { return nil }
