package continuity

import (
	"container/heap"
	"context"
	"sync"
	"time"

	"golang.org/x/sync/semaphore"

	"cirque/core/continuity"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/internal/service/present"
)

// A watch is the work of the worker: it probes what the estate names, and tends what follows. One goroutine reads and
// writes its fields; probes and readings run beside it and send their results. It is paced by this machine's own clock.
type watch struct {
	room *Room

	targets map[present.Watched]string // with the URIs at which they are probed
	of      *estate.Document           // whose targets these are

	known  map[present.Watched]continuity.Health
	due    turns                    // what is not being probed, by when it is its turn
	queued map[present.Watched]bool // what is in due, or being probed
	dirty  map[present.Watched]bool // changed since they were kept
	turned map[present.Watched]bool // whose verdict changed since they were kept

	results chan probed
	slots   *semaphore.Weighted // held by probes under way
	full    bool                // there was no slot left when one was wanted last
	beside  sync.WaitGroup      // probes and readings under way

	tended, saved time.Time
	lastRead      map[string]time.Time // of drained servers
	testing       bool
}

// probed is what came of one probe.
type probed struct {
	of    present.Watched
	probe continuity.Probe
}

// watchHealth works until ctx is done, going on from what was kept.
func (s *Room) watchHealth(ctx context.Context) error {
	kept, err := s.store.Healths(ctx)
	if err != nil {
		return err
	}
	ctx, stop := context.WithCancel(ctx)
	w := &watch{room: s, known: map[present.Watched]continuity.Health{},
		queued: map[present.Watched]bool{}, dirty: map[present.Watched]bool{}, turned: map[present.Watched]bool{},
		results: make(chan probed, probesMost), slots: semaphore.NewWeighted(probesMost), saved: time.Now(),
		lastRead: map[string]time.Time{}, testing: true}
	defer w.beside.Wait()
	defer stop()
	for _, h := range kept {
		w.known[present.Watched{Kind: h.Kind, Name: h.Name}] = h
	}
	for ctx.Err() == nil {
		rule := w.look()
		if s.cfg.Health {
			w.probe(ctx)
		}
		if time.Since(w.tended) >= tendEvery { // and not with each result
			w.tended = time.Now()
			if s.cfg.Health {
				s.reconcile(ctx, w.targets, w.known)
			}
			s.tendDuties(ctx, w.targets)
			w.testing = s.tendFailoverTests(ctx, w.testing)
			s.readDrained(ctx, &w.beside, w.lastRead)
		}
		w.wait(ctx, rule)
		w.save(ctx)
	}
	return nil
}

// look takes over from the estate what is to be probed, and by which rule.
func (w *watch) look() continuity.Rule {
	doc := w.room.present.View().Document()
	set := doc.Continuity()
	rule := continuity.Rule{Every: set.Probe.D(), DownAfter: set.DownAfter,
		UpAfter: set.UpAfter, FlapMost: set.FlapMost, FlapWithin: set.FlapWithin.D()}
	if doc != w.of {
		w.of, w.targets = doc, probeTargets(doc)
		for of := range w.targets {
			if !w.queued[of] { // spread the first ones
				w.queued[of] = true
				heap.Push(&w.due, turn{of, time.Now().Add(rule.Every * time.Duration(len(w.queued)%50) / 100)})
			}
		}
	}
	return rule
}

// A turn is when something is to be probed next.
type turn struct {
	of present.Watched
	at time.Time
}

// turns are a heap (container/heap), the next first.
type turns []turn

func (t turns) Len() int           { return len(t) }
func (t turns) Less(i, j int) bool { return t[i].at.Before(t[j].at) }
func (t turns) Swap(i, j int)      { t[i], t[j] = t[j], t[i] }

// Push adds one; heap.Push is to be called instead.
func (t *turns) Push(x any) { *t = append(*t, x.(turn)) }

// Pop takes the last; heap.Pop is to be called instead.
func (t *turns) Pop() any {
	last := (*t)[len(*t)-1]
	*t = (*t)[:len(*t)-1]
	return last
}

// probe begins the probes that are due, as far as there is room for them.
func (w *watch) probe(ctx context.Context) {
	for len(w.due) > 0 && !time.Now().Before(w.due[0].at) {
		of := w.due[0].of
		uri, still := w.targets[of]
		if !still { // the estate has it no more
			heap.Pop(&w.due)
			delete(w.queued, of)
			continue
		}
		if w.full = !w.slots.TryAcquire(1); w.full {
			return
		}
		heap.Pop(&w.due)
		w.beside.Go(func() {
			within, cancel := context.WithTimeout(ctx, probeWithin)
			err := w.room.cfg.Prober.Alive(within, uri)
			cancel()
			w.slots.Release(1)
			r := probed{of, continuity.Probe{OK: err == nil}}
			if err != nil {
				r.probe.Says = fault.As(err).What
			}
			select {
			case w.results <- r:
			case <-ctx.Done():
			}
		})
	}
}

// wait takes in the results that come until there is something else to do.
func (w *watch) wait(ctx context.Context, rule continuity.Rule) {
	next := tendEvery
	if w.room.cfg.Health && len(w.due) > 0 && !w.full {
		next = min(next, max(time.Until(w.due[0].at), 0))
	}
	t := time.NewTimer(next)
	defer t.Stop()
	select {
	case <-ctx.Done():
	case <-w.room.drains:
		w.tended = time.Time{}
	case r := <-w.results:
		w.take(ctx, r, rule)
	case <-t.C:
	}
	for {
		select {
		case r := <-w.results:
			w.take(ctx, r, rule)
		default:
			return
		}
	}
}

func (w *watch) take(ctx context.Context, r probed, rule continuity.Rule) {
	h := w.known[r.of]
	h.Kind, h.Name = r.of.Kind, r.of.Name
	wasHeld := h.Held
	h, changed := h.Step(r.probe, time.Now().UTC(), rule)
	w.known[r.of], w.dirty[r.of] = h, true
	heap.Push(&w.due, turn{r.of, time.Now().Add(h.Next(rule))})
	if changed {
		w.turned[r.of] = true
	}
	if changed || h.Held != wasHeld {
		w.room.turned(ctx, h, changed)
	}
}

// save keeps what probing found: at once where a verdict changed, else now and then.
func (w *watch) save(ctx context.Context) {
	all := len(w.dirty) > 0 && time.Since(w.saved) > savesEvery
	if len(w.turned) == 0 && !all {
		return
	}
	which := w.turned
	if all {
		which = w.dirty
	}
	list := make([]continuity.Health, 0, len(which))
	for of := range which {
		list = append(list, w.known[of])
	}
	if err := w.room.store.SaveHealth(ctx, list, func(h continuity.Health) bool {
		return w.turned[present.Watched{Kind: h.Kind, Name: h.Name}]
	}); err != nil {
		if ctx.Err() == nil {
			w.room.log.Warn("what probing found could not be kept", "error", err)
		}
		return
	}
	for _, h := range list {
		delete(w.dirty, present.Watched{Kind: h.Kind, Name: h.Name})
	}
	clear(w.turned)
	if all {
		w.saved = time.Now()
	}
}
