// Package worker runs what lasts as long as the service: each worker in a goroutine of its own, begun again where it
// ends or panics, and alone among several processes where it says so, by a lease.
package worker

import (
	"context"
	"fmt"
	"log/slog"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/event"
)

// A Worker is something that lasts.
type Worker struct {
	// Name is short and unique, such as "health".
	Name string
	// Leased has one process of several do it at a time, under a lease of that name.
	Leased bool
	// Run works until ctx is done. Where it ends before, or panics, it is begun again after a pause that grows.
	Run func(ctx context.Context) error
}

// A State is how a worker is doing in this process.
type State struct {
	Name     string
	Leased   bool
	Running  bool      // false where another process has the lease, and during pauses
	Since    time.Time // when Running last changed
	Restarts int       // how often it ended by itself or panicked
	Error    string    // why it ended last, "" where it never did
	Lease    int64     // the number of its lease, 0 where it has none
}

// Leases are how processes agree on who works alone.
type Leases interface {
	// Claim takes those of some leases that are free, and renews those that holder has; it gives the numbers of all
	// that holder has afterwards. They end after lasts, counted from later than when Claim was called.
	Claim(ctx context.Context, holder string, names []string, lasts time.Duration) (map[string]int64, error)
	// Release gives leases back before their end.
	Release(ctx context.Context, holder string, names []string) error
}

// Config of a Runner.
type Config struct {
	Leases Leases
	// Holder names this process among all others.
	Holder string
	Log    *slog.Logger
	// Fit says whether this process may work alone for all: one that does not hear of changes may not, and gives its
	// leases back. Always where nil.
	Fit func() bool
	// Lasts is how long a lease lasts when it is not renewed; Lasts when zero. It is renewed after a third of it, and
	// whoever holds it stops a fifth before its end.
	Lasts time.Duration
	// Shortest is the first pause before what ended is begun again; a second when zero. It doubles up to a minute.
	Shortest time.Duration
}

// Lasts is how long a lease lasts where Config does not say: whoever dies is replaced after so long.
const Lasts = 15 * time.Second

const longestPause = time.Minute

// A Runner runs workers. Any number of goroutines may use it.
type Runner struct {
	cfg    Config
	leases *leases

	mu     sync.Mutex
	states map[string]*State // guarded by mu
}

// New makes a Runner.
func New(cfg Config) *Runner {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	if cfg.Lasts == 0 {
		cfg.Lasts = Lasts
	}
	if cfg.Shortest == 0 {
		cfg.Shortest = time.Second
	}
	return &Runner{cfg: cfg, states: map[string]*State{}, leases: newLeases(cfg)}
}

// Run runs workers until ctx is done and all of them have ended; then their leases are given back.
func (r *Runner) Run(ctx context.Context, workers ...Worker) {
	var wg sync.WaitGroup
	for _, w := range workers {
		r.mu.Lock()
		r.states[w.Name] = &State{Name: w.Name, Leased: w.Leased}
		r.mu.Unlock()
		wg.Go(func() { r.keep(ctx, w) })
	}
	wg.Wait()
}

// Do does something under a lease, once: it waits until the lease is free, also from a worker of this process that has
// one of the same name. f's context ends before the lease does.
func (r *Runner) Do(ctx context.Context, name string, f func(ctx context.Context) error) error {
	h, err := r.leases.wait(ctx, name)
	if err != nil {
		return err
	}
	defer h.release()
	return f(h.ctx)
}

// States tells how each worker is doing, by name.
func (r *Runner) States() []State {
	r.mu.Lock()
	defer r.mu.Unlock()
	var out []State
	for _, s := range r.states {
		out = append(out, *s)
	}
	slices.SortFunc(out, func(a, b State) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Leased names the workers that one process of several does, by name.
func (r *Runner) Leased() []string {
	var out []string
	for _, s := range r.States() {
		if s.Leased {
			out = append(out, s.Name)
		}
	}
	return out
}

// keep runs one worker again and again until ctx is done.
func (r *Runner) keep(ctx context.Context, w Worker) {
	wait := r.cfg.Shortest
	for ctx.Err() == nil {
		began := time.Now()
		err := r.turn(ctx, w)
		if ctx.Err() != nil {
			return
		}
		if time.Since(began) > longestPause {
			wait = r.cfg.Shortest // it had worked for long
		}
		if err != nil {
			r.cfg.Log.Warn("a worker ended, and is begun again", "worker", w.Name, "error", err, "after", wait)
			Pause(ctx, wait)
			wait = min(2*wait, longestPause)
		}
	}
}

// turn is one run of a worker: under a lease where it works alone. A lease that ended is no error.
func (r *Runner) turn(ctx context.Context, w Worker) error {
	if !w.Leased {
		return r.once(ctx, w, 0)
	}
	h, err := r.leases.wait(ctx, w.Name)
	if err != nil {
		return nil // ctx is done
	}
	defer h.release()
	r.cfg.Log.Debug("a worker works here now", "worker", w.Name, "lease", h.number)
	err = r.once(h.ctx, w, h.number)
	if h.ctx.Err() != nil && ctx.Err() == nil {
		r.cfg.Log.Warn("a worker's lease ended; another process may go on", "worker", w.Name, "lease", h.number)
		return nil
	}
	return err
}

// once runs a worker once, and makes an error of a panic and of an end that nobody asked for.
func (r *Runner) once(ctx context.Context, w Worker, number int64) (err error) {
	r.note(w.Name, func(s *State) { s.Running, s.Since, s.Lease = true, time.Now(), number })
	defer func() {
		if v := recover(); v != nil {
			r.cfg.Log.Error("a worker panicked", "worker", w.Name, "value", v, "stack", string(debug.Stack()))
			err = fmt.Errorf("panic: %v", v)
		}
		if err == nil && ctx.Err() == nil {
			err = fmt.Errorf("it ended by itself")
		}
		r.note(w.Name, func(s *State) {
			s.Running, s.Since, s.Lease = false, time.Now(), 0
			if ctx.Err() == nil {
				s.Restarts++
				s.Error = err.Error()
			}
		})
	}()
	ctx = context.WithValue(context.WithValue(ctx, event.RouteKey{}, "worker "+w.Name), event.ForKey{}, event.ForWorkers)
	return w.Run(ctx)
}

func (r *Runner) note(name string, change func(*State)) {
	r.mu.Lock()
	defer r.mu.Unlock()
	change(r.states[name])
}

// Pause waits, or until ctx is done.
func Pause(ctx context.Context, d time.Duration) {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-t.C:
	}
}

// Beat does something again and again, such as telling how far long work is, until end is called; that waits until it
// is not being done any more.
func Beat(every time.Duration, do func()) (end func()) {
	ended := make(chan struct{})
	var wg sync.WaitGroup
	wg.Go(func() {
		tick := time.NewTicker(every)
		defer tick.Stop()
		for {
			select {
			case <-ended:
				return
			case <-tick.C:
				do()
			}
		}
	})
	return func() {
		close(ended)
		wg.Wait()
	}
}
