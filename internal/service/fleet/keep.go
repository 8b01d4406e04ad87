package fleet

import (
	"context"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/singleflight"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/stock"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// keep holds how every endpoint was judged last. A report renews its own endpoint's; another view of the world has
// those judged anew that it can concern; what other processes took in is read when they tell of it.
type keep struct {
	once   singleflight.Group // loads and sweeps: one at a time of each, whoever asks
	loaded atomic.Bool

	mu    sync.RWMutex
	fleet *fleet.Fleet
	world *lineup.World // in which every judgement holds, but for newer ones; nil before the first
	edge  time.Time     // when the hours of some grant next change what somebody is to have; zero where they do not

	led     atomic.Pointer[led]
	scratch sync.Pool // of *lineup.Scratch

	foreign struct {
		sync.Mutex
		named map[string]bool // folded endpoints of which another process has news
		lost  int             // how often notices may have been missed
	}
	news chan struct{} // somebody wrote into foreign

	follows   atomic.Bool   // the worker runs: notices come, or will
	listening chan struct{} // closed when they came for the first time
	listened  sync.Once
}

// led is the table of an estate's addresses.
type led struct {
	doc *estate.Document
	to  stock.Authorities
}

// addresses gives the table of the present estate.
func (s *Room) addresses(doc *estate.Document) stock.Authorities {
	if t := s.keep.led.Load(); t != nil && t.doc == doc {
		return t.to
	}
	t := &led{doc, stock.NewAuthorities(doc)}
	s.keep.led.Store(t)
	return t.to
}

// judged is what a record comes to in a view.
type judged struct {
	endpoint.Judged
	fleet.Follows
}

// judge works out all that is kept of an endpoint; it costs a lineup for each of its contexts.
func (s *Room) judge(v *present.View, rec endpoint.Record, now time.Time) judged {
	scratch := s.keep.scratch.Get().(*lineup.Scratch)
	defer s.keep.scratch.Put(scratch)
	plan, location := v.Plan(rec.Report.Contexts, now, scratch)
	out := judged{v.Judge(rec, plan, now), fleet.Follows{Marks: endpoint.Marks(plan, rec.Report),
		Location: location, Servers: serversOf(s.addresses(v.Document()), rec.Report), World: v.World}}
	if v.World.Estate.Timed() {
		out.Edge = nextTurn(v, rec.Report.Contexts, now, scratch)
	}
	return out
}

// nextTurn gives when the hours of grants next change what any of some contexts receives; zero where they do not.
func nextTurn(v *present.View, contexts []lineup.Query, now time.Time, scratch *lineup.Scratch) (edge time.Time) {
	for _, q := range contexts {
		q.Time = nil
		c, err := q.Context(now)
		if err != nil {
			continue
		}
		if at, some, err := v.World.NextEdge(c, scratch, false); err == nil && some {
			edge = earlier(edge, at)
		}
	}
	return edge
}

// earlier gives the earlier of two times, of which the zero one is never.
func earlier(a, b time.Time) time.Time {
	if a.IsZero() || !b.IsZero() && b.Before(a) {
		return b
	}
	return a
}

// taken is take for what this process wrote itself, at any time.
func (s *Room) taken(rec endpoint.Record) endpoint.Judged {
	if s.keep.loaded.Load() {
		return s.take(rec)
	}
	_ = s.hear(context.Background(), event.Signal{What: event.Endpoint, Subject: rec.Report.Machine}) // to be read then
	return s.present.View().Judged(rec, s.now())
}

// take judges a record in the present view and keeps that.
func (s *Room) take(rec endpoint.Record) endpoint.Judged {
	k := &s.keep
	for {
		now := s.now()
		view := s.present.View()
		j := s.judge(view, rec, now)
		k.mu.Lock()
		if s.present.View() != view {
			k.mu.Unlock() // a sweep may have passed this endpoint by
			continue
		}
		if had := k.fleet.Get(rec.Report.Machine); had == nil || !had.LastSeen().After(rec.LastSeen) {
			k.fleet.Put(j.Judged, j.Follows)
			k.edge = earlier(k.edge, j.Edge)
		}
		k.mu.Unlock()
		return j.Judged
	}
}

// load reads all endpoints, unless that was done before.
func (s *Room) load(ctx context.Context) error {
	if s.keep.loaded.Load() {
		return nil
	}
	// Whoever asked first may go away; the others still want it.
	done := s.keep.once.DoChan("load", func() (any, error) {
		if s.keep.loaded.Load() {
			return nil, nil
		}
		return nil, s.fill(context.WithoutCancel(ctx))
	})
	late := time.NewTimer(readWithin)
	defer late.Stop()
	select {
	case r := <-done:
		return r.Err
	case <-late.C:
		return fault.New(fault.Unavailable, "fleet-reading", "ask again in a minute",
			"what the endpoints reported last is still being read")
	case <-ctx.Done():
		return present.Stopped()
	}
}

// readWithin is how long an answer waits for the endpoints to be read when a process has just started; a large fleet
// takes longer.
const readWithin = 10 * time.Second

// fill reads all endpoints for the first time.
func (s *Room) fill(ctx context.Context) error {
	k := &s.keep
	if k.follows.Load() {
		// Once notices come, nothing is missed that is written after it was read, and it need not be read twice.
		select {
		case <-k.listening:
		case <-time.After(2 * time.Second):
		}
	}
	k.foreign.Lock()
	lost := k.foreign.lost
	k.foreign.Unlock()
	view := s.present.View()
	k.mu.Lock()
	k.fleet, k.world = fleet.New(silentAfter(view)), view.World
	k.mu.Unlock()
	// Nobody looks at it before it is loaded, so that it may be out of order meanwhile.
	if err := k.fleet.Fill(func() error { return s.read(ctx) }); err != nil {
		return err
	}
	k.loaded.Store(true)
	k.foreign.Lock()
	k.foreign.lost -= lost
	k.foreign.Unlock()
	return nil
}

// read judges all endpoints that the store has.
func (s *Room) read(ctx context.Context) error {
	g, ctx := errgroup.WithContext(ctx)
	records := make(chan endpoint.Record, 64)
	g.Go(func() error {
		defer close(records)
		return s.store.EachEndpoint(ctx, func(rec endpoint.Record) error {
			select {
			case records <- rec:
				return nil
			case <-ctx.Done():
				return ctx.Err()
			}
		})
	})
	for range runtime.GOMAXPROCS(0) {
		g.Go(func() error {
			for rec := range records {
				if !s.has(rec) {
					s.take(rec)
				}
			}
			return nil
		})
	}
	return g.Wait()
}

// has says whether a record is kept as it is; only what was erased from a report changes it without a new one.
func (s *Room) has(rec endpoint.Record) bool {
	s.keep.mu.RLock()
	defer s.keep.mu.RUnlock()
	j := s.keep.fleet.Get(rec.Report.Machine)
	return j != nil && j.LastSeen().Equal(rec.LastSeen) && len(j.Report().Contexts) == len(rec.Report.Contexts) &&
		len(j.Report().Logins) == len(rec.Report.Logins)
}

func silentAfter(v *present.View) time.Duration {
	return endpoint.SilentAfter * v.ReportsEvery()
}

// How long an answer waits for judgements to follow a change: then it is given as they are, and says so. Of few
// endpoints they follow within moments, and who has changed something sees what came of it; of many nobody is held up.
const (
	patience = time.Second
	few      = 2000
	ofMany   = 20 * time.Millisecond
)

func (s *Room) patience() time.Duration {
	s.keep.mu.RLock()
	defer s.keep.mu.RUnlock()
	if s.keep.fleet.Len() > few {
		return ofMany
	}
	return patience
}

// look has f read what is kept, once that is loaded and, if it does not take long, has followed the present view.
// behind is whether it has not.
func (s *Room) look(ctx context.Context, f func(*fleet.Fleet, time.Time)) (behind bool, err error) {
	if err := s.load(ctx); err != nil {
		return false, err
	}
	behind = !s.settled()
	if behind {
		done := s.keep.once.DoChan("sweep", func() (any, error) { s.sweep(); return nil, nil })
		late := time.NewTimer(s.patience())
		defer late.Stop()
		select {
		case <-done:
			behind = false
		case <-late.C:
		case <-ctx.Done():
			return false, present.Stopped()
		}
	}
	k, now := &s.keep, s.now()
	k.mu.RLock()
	if k.fleet.Due(now) {
		k.mu.RUnlock()
		k.mu.Lock()
		k.fleet.Tick(now)
		k.mu.Unlock()
		k.mu.RLock()
	}
	defer k.mu.RUnlock()
	f(k.fleet, now)
	return behind, nil
}

// settled says whether every judgement holds in the present view and at this time.
func (s *Room) settled() bool {
	k := &s.keep
	k.mu.RLock()
	defer k.mu.RUnlock()
	return k.world == s.present.View().World && (k.edge.IsZero() || s.now().Before(k.edge))
}

// hear notes what a notice tells of endpoints; it is called for every notice and waits for nothing.
func (s *Room) hear(_ context.Context, n event.Signal) error {
	k := &s.keep
	if n.Own || n.What != event.Endpoint && n.What != event.Lost {
		return nil
	}
	k.foreign.Lock()
	if n.What == event.Lost {
		k.foreign.lost++
		k.listened.Do(func() { close(k.listening) })
	} else {
		k.foreign.named[name.Fold(n.Subject)] = true
	}
	k.foreign.Unlock()
	select {
	case k.news <- struct{}{}:
	default:
	}
	return nil
}

// gather is how long news of other processes is gathered, so that many endpoints are read at once.
const gather = 100 * time.Millisecond

// mostNamed is of how many endpoints at most one question asks.
const mostNamed = 500

// follow loads what is kept, and keeps it true, until ctx is done.
func (s *Room) follow(ctx context.Context) error {
	s.keep.follows.Store(true)
	for s.load(ctx) != nil && ctx.Err() == nil {
		worker.Pause(ctx, time.Second) // the database is away
	}
	for ctx.Err() == nil {
		if !s.settled() {
			_, _, _ = s.keep.once.Do("sweep", func() (any, error) { s.sweep(); return nil, nil })
			continue
		}
		s.keep.mu.RLock()
		wait := time.Minute
		if edge := s.keep.edge; !edge.IsZero() {
			wait = min(wait, max(edge.Sub(s.now()), gather))
		}
		s.keep.mu.RUnlock()
		due := time.NewTimer(wait)
		select {
		case <-s.present.View().Changed():
		case <-s.keep.news:
			worker.Pause(ctx, gather)
			if err := s.catchUp(ctx); err != nil && ctx.Err() == nil {
				s.log.Warn("what other processes heard of endpoints could not be read", "error", err)
				worker.Pause(ctx, time.Second)
			}
		case <-due.C:
		case <-ctx.Done():
		}
		due.Stop()
	}
	return nil
}

// catchUp reads what other processes took in. What could not be read is read the next time.
func (s *Room) catchUp(ctx context.Context) error {
	k := &s.keep
	k.foreign.Lock()
	lost := k.foreign.lost
	named := make([]string, 0, len(k.foreign.named))
	for n := range k.foreign.named {
		named = append(named, n)
	}
	k.foreign.Unlock()
	if lost > 0 {
		if err := s.read(ctx); err != nil {
			return err
		}
	}
	for from := 0; from < len(named); from += mostNamed {
		some := named[from:min(from+mostNamed, len(named))]
		k.foreign.Lock()
		for _, n := range some {
			delete(k.foreign.named, n) // news that comes while these are read is read again
		}
		k.foreign.Unlock()
		list, err := s.store.EndpointsNamed(ctx, some)
		if err != nil {
			k.foreign.Lock()
			for _, n := range some {
				k.foreign.named[n] = true
			}
			k.foreign.Unlock()
			return err
		}
		for _, rec := range list {
			s.take(rec)
		}
	}
	k.foreign.Lock()
	k.foreign.lost -= lost
	k.foreign.Unlock()
	return nil
}
