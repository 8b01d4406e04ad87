package fleet

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"
	"testing"
	"time"

	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/span"
	"cirque/internal/testkit/rooms"
	"cirque/internal/testkit/worlds"
)

// table is the store's: what this and other processes wrote.
type table struct {
	Store
	mu   sync.Mutex
	recs map[string]endpoint.Record
	away bool
	read int // how many records were read
}

func (s *table) EachEndpoint(_ context.Context, f func(endpoint.Record) error) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.away {
		return errors.New("away")
	}
	for _, r := range s.recs {
		s.read++
		if err := f(r); err != nil {
			return err
		}
	}
	return nil
}

func (s *table) EndpointsNamed(_ context.Context, folded []string) (out []endpoint.Record, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.away {
		return nil, errors.New("away")
	}
	for _, n := range folded {
		if r, ok := s.recs[n]; ok {
			s.read++
			out = append(out, r)
		}
	}
	return out, nil
}

func (s *table) put(rec endpoint.Record) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.recs[name.Fold(rec.Report.Machine)] = rec
}

func furnish(t *testing.T) (*Room, *table, *rooms.World) {
	t.Helper()
	w := rooms.New(t, "estate: 1", directory.Records{})
	s := &table{recs: map[string]endpoint.Record{}}
	return New(Config{Store: s, Present: w.Present, Now: w.Now, Log: rooms.Quiet}), s, w
}

// kept says everything that is kept of every endpoint.
func kept(t *testing.T, r *Room) string {
	t.Helper()
	out := ""
	if !r.settled() {
		r.sweep() // as whoever looks would have it do, however long that takes here
	}
	behind, err := r.look(t.Context(), func(f *fleet.Fleet, now time.Time) {
		for _, j := range f.All() {
			out += said(j.Machine(), f.Now(j, now), j.Drift, j.Says, j.Location, j.Servers, j.Marks)
		}
	})
	if err != nil || behind {
		t.Fatal("behind:", behind, err)
	}
	return out
}

func said(list ...any) string {
	for i, v := range list {
		switch v := v.(type) {
		case []endpoint.Difference:
			if len(v) == 0 {
				list[i] = nil
			}
		case []string:
			if len(v) == 0 {
				list[i] = nil
			}
		}
	}
	b, _ := json.Marshal(list) // plain values
	return string(b) + "\n"
}

// afresh says the same of every endpoint judged now.
func afresh(r *Room, s *table, w *rooms.World) string {
	var order []string
	for n := range s.recs {
		order = append(order, n)
	}
	f := fleet.New(silentAfter(w.Present.View()))
	for _, n := range order {
		j := r.judge(w.Present.View(), s.recs[n], w.Now())
		f.Put(j.Judged, j.Follows)
	}
	out := ""
	for _, j := range f.All() {
		out += said(j.Machine(), f.Now(j, w.Now()), j.Drift, j.Says, j.Location, j.Servers, j.Marks)
	}
	return out
}

// TestFollows: whatever changes of estate, directory, live state and picks come in whatever order, and however time
// passes, what is kept of each endpoint is what judging it now gives.
func TestFollows(t *testing.T) {
	t.Parallel()
	seeds := uint64(150)
	if testing.Short() {
		seeds = 20
	}
	for seed := range seeds {
		m := worlds.New(seed)
		r, s, w := furnish(t)
		report := func(machine string) endpoint.Record {
			rec := endpoint.Record{FirstSeen: w.Now(), LastSeen: w.Now(), Report: endpoint.Report{Machine: machine}}
			for range 1 + m.IntN(2) {
				rec.Report.Contexts = append(rec.Report.Contexts, m.Query())
			}
			for i, want := range endpoint.PlanFor(w.Present.View().Lineups(rec, w.Now())).Wants {
				if m.Maybe(0.8) {
					rec.Report.Installed = append(rec.Report.Installed, endpoint.Installed{Want: want, Own: i%5 > 0})
				}
			}
			return rec
		}
		w.PublishDocument(m.Estate())
		w.Import(m.Directory())
		w.State = m.Live()
		w.Refresh(t)
		for i := range 12 {
			s.put(report(fmt.Sprint("m", i)))
		}
		for step := range 14 {
			switch m.IntN(9) {
			case 8: // what lineups do not go by, and judgements do
				doc := *w.Present.View().Document()
				doc.Settings = &estate.Settings{}
				doc.Settings.Agents = &estate.AgentSettings{Report: span.Span(1+m.IntN(500)) * span.Span(time.Minute), UserFrom: estate.UserFrom(m.One(
					"system", "ask", "system-unless-unknown"))}
				doc.Servers = slices.Clone(doc.Servers)
				if n := len(doc.Servers); n > 0 && m.Maybe(0.4) {
					doc.Servers[m.IntN(n)].URI = fmt.Sprintf("ipp://other-%d.example/", m.IntN(3))
				}
				w.PublishDocument(&doc)
			case 0:
				w.PublishDocument(m.Estate())
			case 1:
				w.Import(m.Directory())
			case 2, 3:
				picks := w.State.Picks
				w.State = m.Live()
				w.State.Picks = picks
			case 4:
				w.State.Picks = m.Live().Picks
			case 5:
				w.Pass(time.Duration(m.IntN(20*60)) * time.Minute)
			case 6: // a part is there and gone again between two looks
				was := w.State
				w.State = m.Live()
				w.Refresh(t)
				rec := report("m3")
				s.put(rec)
				if r.keep.loaded.Load() {
					r.take(rec)
				}
				w.State = was
			case 7:
				rec := report(fmt.Sprint("m", m.IntN(14)))
				s.put(rec)
				r.taken(rec)
			}
			w.Refresh(t)
			if err := r.load(t.Context()); err != nil {
				t.Fatal(err)
			}
			if step%2 == 0 {
				continue // several changes are followed at once
			}
			if got, want := kept(t, r), afresh(r, s, w); got != want {
				t.Fatalf("seed %d, step %d: kept\n%s\njudged now\n%s", seed, step, got, want)
			}
		}
	}
}

// TestNews: what other processes take in is read, each endpoint by itself; what this process wrote is not read back;
// after a break all of it is read, and a store that is away is asked again.
func TestNews(t *testing.T) {
	t.Parallel()
	r, s, w := furnish(t)
	ctx := t.Context()
	machine := func(n string, at time.Time) endpoint.Record {
		return endpoint.Record{LastSeen: at, Report: endpoint.Report{Machine: n, Contexts: []lineup.Query{{Machine: &n}}}}
	}
	s.put(machine("a", w.Now()))
	s.put(machine("b", w.Now()))
	if err := r.load(ctx); err != nil || s.read != 2 {
		t.Fatal(err, s.read)
	}
	s.put(machine("a", w.Now().Add(time.Minute)))
	s.put(machine("c", w.Now()))
	for _, n := range []event.Signal{{What: event.Endpoint, Subject: "A"}, {What: event.Endpoint, Subject: "c"},
		{What: event.Endpoint, Subject: "b", Own: true}, {What: event.Live}} {
		_ = r.hear(ctx, n)
	}
	s.away = true
	if err := r.catchUp(ctx); err == nil || s.read != 2 {
		t.Error("read from a store that is away:", s.read)
	}
	s.away = false
	if err := r.catchUp(ctx); err != nil || s.read != 4 {
		t.Error("not read again, or others too:", err, s.read)
	}
	if err := r.catchUp(ctx); err != nil || s.read != 4 {
		t.Error("read twice:", err, s.read)
	}
	seen := func(n string) (at time.Time) {
		_, _ = r.look(ctx, func(f *fleet.Fleet, _ time.Time) {
			if j := f.Get(n); j != nil {
				at = j.LastSeen()
			}
		})
		return at
	}
	if !seen("a").Equal(w.Now().Add(time.Minute)) || !seen("c").Equal(w.Now()) {
		t.Error(seen("a"), seen("c"))
	}
	// An older report that is read late changes nothing.
	r.take(machine("a", w.Now()))
	if !seen("a").Equal(w.Now().Add(time.Minute)) {
		t.Error("a late reading took the place of a newer report")
	}
	s.put(machine("d", w.Now()))
	_ = r.hear(ctx, event.Signal{What: event.Lost, Own: false})
	if err := r.catchUp(ctx); err != nil || seen("d").IsZero() {
		t.Error("after a break:", err)
	}
	if before := s.read; r.catchUp(ctx) != nil || s.read != before {
		t.Error("read again without a break")
	}
}

// TestLoadsOnceForAll: many who ask at once have everything read once; who goes away does not end it for the others.
func TestLoadsOnceForAll(t *testing.T) {
	t.Parallel()
	r, s, w := furnish(t)
	for i := range 50 {
		n := fmt.Sprint("m", i)
		s.put(endpoint.Record{LastSeen: w.Now(), Report: endpoint.Report{Machine: n, Contexts: []lineup.Query{{Machine: &n}}}})
	}
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	var wg sync.WaitGroup
	for i := range 20 {
		wg.Go(func() {
			ctx := t.Context()
			if i%2 == 0 {
				ctx = gone
			}
			if err := r.load(ctx); err != nil && i%2 == 1 {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	if s.read != 50 {
		t.Error("read", s.read)
	}
}
