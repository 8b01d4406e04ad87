package continuity

import (
	"context"
	"sync"
	"time"

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
	due    map[present.Watched]time.Time
	busy   map[present.Watched]bool
	dirty  map[present.Watched]bool // changed since they were kept
	turned map[present.Watched]bool // whose verdict changed since they were kept

	results chan probed
	slots   chan struct{}  // held by probes under way
	beside  sync.WaitGroup // probes and readings under way

	tended, saved time.Time
	lastRead      map[string]time.Time // of drained servers
	exercising    bool
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
	w := &watch{room: s, known: map[present.Watched]continuity.Health{}, due: map[present.Watched]time.Time{},
		busy: map[present.Watched]bool{}, dirty: map[present.Watched]bool{}, turned: map[present.Watched]bool{},
		results: make(chan probed, probesMost), slots: make(chan struct{}, probesMost), saved: time.Now(),
		lastRead: map[string]time.Time{}, exercising: true}
	defer w.beside.Wait()
	defer stop()
	for _, h := range kept {
		w.known[present.Watched{Kind: h.Kind, Name: h.Name}] = h
	}
	for ctx.Err() == nil {
		rule := w.look()
		if s.cfg.Health {
			s.reconcile(ctx, w.targets, w.known)
			w.probe(ctx, rule)
		}
		if time.Since(w.tended) >= tendEvery { // and not with each result
			w.tended = time.Now()
			s.tendDuties(ctx, w.targets)
			w.exercising = s.tendExercises(ctx, w.exercising)
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
	if doc != w.of {
		w.of, w.targets = doc, probeTargets(doc)
	}
	set := doc.Continuity()
	return continuity.Rule{Every: time.Duration(set.ProbeSeconds) * time.Second, DownAfter: set.DownAfter,
		UpAfter: set.UpAfter, FlapMost: set.FlapMost, FlapWithin: time.Duration(set.FlapMinutes) * time.Minute}
}

// probe begins the probes that are due, as far as there is room for them.
func (w *watch) probe(ctx context.Context, rule continuity.Rule) {
	for of, uri := range w.targets {
		at, seen := w.due[of]
		if !seen { // spread the first ones
			at = time.Now().Add(rule.Every * time.Duration(len(w.due)%50) / 100)
			w.due[of] = at
		}
		if w.busy[of] || time.Now().Before(at) {
			continue
		}
		select {
		case w.slots <- struct{}{}:
		default:
			return
		}
		w.busy[of] = true
		w.beside.Go(func() {
			within, cancel := context.WithTimeout(ctx, probeWithin)
			err := w.room.cfg.Prober.Alive(within, uri)
			cancel()
			<-w.slots
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
	t := time.NewTimer(tendEvery)
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
	delete(w.busy, r.of)
	h := w.known[r.of]
	h.Kind, h.Name = r.of.Kind, r.of.Name
	wasHeld := h.Held
	h, changed := h.Step(r.probe, time.Now().UTC(), rule)
	w.known[r.of], w.due[r.of], w.dirty[r.of] = h, time.Now().Add(h.Next(rule)), true
	if changed {
		w.turned[r.of] = true
	}
	if changed || h.Held != wasHeld {
		w.room.turned(ctx, h, changed)
	}
}

// save keeps what probing found: at once where a verdict changed, else now and then.
func (w *watch) save(ctx context.Context) {
	if len(w.turned) == 0 && (len(w.dirty) == 0 || time.Since(w.saved) <= savesEvery) {
		return
	}
	var list []continuity.Health
	for of := range w.dirty {
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
	clear(w.dirty)
	clear(w.turned)
	w.saved = time.Now()
}
