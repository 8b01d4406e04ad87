package worker_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/lease"
	"cirque/internal/service/worker"
)

// store is a store of leases in memory, by the test's clock. away makes it answer nobody.
type store struct {
	mu     sync.Mutex
	of     map[string]*row
	away   map[string]bool // by holder
	frozen map[string]bool // by holder: its questions are never answered
}

type row struct {
	holder string
	number int64
	ends   time.Time
}

func newStore() *store {
	return &store{of: map[string]*row{}, away: map[string]bool{}, frozen: map[string]bool{}}
}

func (s *store) Claim(ctx context.Context, holder string, names []string,
	lasts time.Duration) (map[string]int64, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.away[holder] {
		return nil, errors.New("away")
	}
	if s.frozen[holder] {
		s.mu.Unlock()
		<-ctx.Done()
		s.mu.Lock()
		return nil, ctx.Err()
	}
	out := map[string]int64{}
	for _, n := range names {
		r := s.of[n]
		if r == nil {
			r = &row{}
			s.of[n] = r
		}
		over := !r.ends.After(time.Now())
		if r.holder != holder && !over {
			continue
		}
		if over {
			r.number++
		}
		r.holder, r.ends = holder, time.Now().Add(lasts)
		out[n] = r.number
	}
	return out, nil
}

func (s *store) Release(_ context.Context, holder string, names []string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, n := range names {
		if r := s.of[n]; r != nil && r.holder == holder {
			r.ends = time.Now()
		}
	}
	return nil
}

// log notes who works when, and that never two do.
type log struct {
	t  *testing.T
	mu sync.Mutex

	working string
	began   []string
}

func (l *log) work(who string) func(ctx context.Context) error {
	return func(ctx context.Context) error {
		l.mu.Lock()
		if l.working != "" {
			l.t.Errorf("%s begins while %s works", who, l.working)
		}
		l.working = who
		l.began = append(l.began, who)
		l.mu.Unlock()
		<-ctx.Done()
		l.mu.Lock()
		l.working = ""
		l.mu.Unlock()
		return nil
	}
}

func (l *log) said() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.Join(l.began, " ")
}

// TestOneAtATime: whoever holds the lease works; when it stops another begins at once; when the store does not hear of
// it any more it has stopped before another begins.
func TestOneAtATime(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, l := newStore(), &log{t: t}
		run := func(who string) (stop func()) {
			ctx, cancel := context.WithCancel(t.Context())
			r := worker.New(worker.Config{Leases: s, Holder: who})
			ended := make(chan struct{})
			go func() {
				r.Run(ctx, worker.Worker{Name: "health", Leased: true, Run: l.work(who)})
				close(ended)
			}()
			return func() { cancel(); <-ended }
		}
		stopA := run("a")
		time.Sleep(time.Second)
		stopB := run("b")
		time.Sleep(10 * worker.Lasts)
		if l.said() != "a" {
			t.Error("while a renews its lease:", l.said())
		}
		stopA()
		time.Sleep(worker.Lasts / 4) // and not only at the lease's end
		if l.said() != "a b" {
			t.Error("after a has stopped:", l.said())
		}
		stopC := run("c")
		time.Sleep(time.Second)
		s.mu.Lock()
		s.away["b"] = true
		s.mu.Unlock()
		time.Sleep(2 * worker.Lasts)
		if l.said() != "a b c" {
			t.Error("after the store hears nothing of b:", l.said())
		}
		s.mu.Lock()
		s.away["b"], s.frozen["c"] = false, true
		s.mu.Unlock()
		time.Sleep(2 * worker.Lasts)
		if l.said() != "a b c b" {
			t.Error("after c's questions get no answer:", l.said())
		}
		stopB()
		stopC()
		time.Sleep(worker.Lasts) // what was asked and never answered ends, too
	})
}

// TestUnfit: whoever does not hear of changes gives its leases back while the store answers it, takes none, and works
// again once it hears.
func TestUnfit(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, l := newStore(), &log{t: t}
		var deaf atomic.Bool
		ctx, cancel := context.WithCancel(t.Context())
		var wg sync.WaitGroup
		run := func(who string, fit func() bool) {
			r := worker.New(worker.Config{Leases: s, Holder: who, Fit: fit})
			wg.Go(func() { r.Run(ctx, worker.Worker{Name: "health", Leased: true, Run: l.work(who)}) })
			time.Sleep(2 * time.Second)
		}
		run("a", func() bool { return !deaf.Load() })
		run("b", nil)
		deaf.Store(true)
		time.Sleep(3 * time.Second)
		if l.said() != "a b" {
			t.Error("after a has gone deaf:", l.said())
		}
		time.Sleep(3 * worker.Lasts)
		s.mu.Lock()
		s.away["b"] = true
		s.mu.Unlock()
		time.Sleep(2 * worker.Lasts)
		if l.said() != "a b" {
			t.Error("a took it though it is deaf:", l.said())
		}
		deaf.Store(false)
		time.Sleep(worker.Lasts)
		if l.said() != "a b a" {
			t.Error("after a hears again:", l.said())
		}
		cancel()
		wg.Wait()
	})
}

// TestEndsWithItsClock: what is done under a lease sees by its own clock that it has ended, before any timer goes off.
func TestEndsWithItsClock(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := newStore()
		r := worker.New(worker.Config{Leases: s, Holder: "a"})
		err := r.Do(t.Context(), "list", func(ctx context.Context) error {
			held, ok := lease.Of(ctx.Value)
			if !ok || held.Number != 1 || !held.Valid() || lease.Ended(ctx.Value) {
				t.Errorf("%+v %v", held, ok)
			}
			s.mu.Lock()
			s.away["a"] = true
			s.mu.Unlock()
			time.Sleep(worker.Lasts)
			if held.Valid() || !lease.Ended(ctx.Value) || ctx.Err() == nil {
				t.Error("it goes on after its end")
			}
			return ctx.Err()
		})
		if err == nil {
			t.Error("nobody hears of it")
		}
	})
}

// TestDoWaits: what is done under one name is done one after another, also within a process.
func TestDoWaits(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		r := worker.New(worker.Config{Leases: newStore(), Holder: "a"})
		var wg sync.WaitGroup
		inside := 0
		for range 5 {
			wg.Go(func() {
				if err := r.Do(t.Context(), "list", func(context.Context) error {
					inside++
					if inside > 1 {
						t.Error("two at once")
					}
					time.Sleep(time.Second)
					inside--
					return nil
				}); err != nil {
					t.Error(err)
				}
			})
		}
		wg.Wait()
		time.Sleep(worker.Lasts) // the renewing ends
	})
}

// TestBegunAgain: a worker that panics or ends is begun again after growing pauses, the others go on, and its state
// tells of it.
func TestBegunAgain(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		r := worker.New(worker.Config{Leases: worker.Single{}, Holder: "a"})
		ctx, stop := context.WithCancel(t.Context())
		var began []time.Duration
		start := time.Now()
		other := 0
		done := make(chan struct{})
		go func() {
			r.Run(ctx, worker.Worker{Name: "bad", Run: func(context.Context) error {
				began = append(began, time.Since(start))
				switch len(began) {
				case 1:
					panic("a hostile byte")
				case 2:
					return errors.New("it broke")
				}
				return nil
			}}, worker.Worker{Name: "good", Leased: true, Run: func(ctx context.Context) error {
				other++
				<-ctx.Done()
				return nil
			}})
			close(done)
		}()
		time.Sleep(8 * time.Second)
		synctest.Wait()
		if len(began) != 4 || began[1] != time.Second || began[2] != 3*time.Second || began[3] != 7*time.Second {
			t.Error("begun at", began)
		}
		states := r.States()
		if states[0].Name != "bad" || states[0].Restarts != 4 || states[0].Running ||
			states[0].Error != "it ended by itself" ||
			!states[1].Running || states[1].Restarts != 0 || states[1].Lease != 1 || other != 1 {
			t.Errorf("%+v, the other %d times", states, other)
		}
		stop()
		<-done
		time.Sleep(worker.Lasts)
	})
}
