package proofs

import (
	"context"
	"sync"

	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/service/present"
)

// A change is a revision's difference to the one before, with the directory and the live state of now. It keeps what it
// asks of each endpoint, since that costs four lineups: those that have not reported since are not looked at again.
type change struct {
	revision int
	now      *lineup.World // with whose directory and live state
	before   *lineup.World // nil of the first revision
	after    *lineup.World
	touch    *rehearse.Touch

	mu   sync.Mutex
	asks map[*fleet.Judgement][]endpoint.Expectation // guarded by mu
}

// changesKept is how many changes are kept at once. Each keeps a little for every endpoint.
const changesKept = 2

// change gives a revision's.
func (s *Room) change(ctx context.Context, snap *present.View, revision int) (*change, error) {
	s.changes.Lock()
	defer s.changes.Unlock()
	kept := s.changes.list[:0]
	var found *change
	for _, c := range s.changes.list {
		if c.now != snap.World {
			continue // of another directory or live state
		}
		if kept = append(kept, c); c.revision == revision {
			found = c
		}
	}
	s.changes.list = kept
	if found != nil {
		return found, nil
	}
	c := &change{revision: revision, now: snap.World, asks: map[*fleet.Judgement][]endpoint.Expectation{}}
	var err error
	if c.after, err = s.worldOf(ctx, snap, revision); err != nil {
		return nil, err
	}
	if revision > 1 {
		if c.before, err = s.worldOf(ctx, snap, revision-1); err != nil {
			return nil, err
		}
		c.touch = rehearse.NewTouch(c.before, c.after)
	}
	s.changes.list = append(s.changes.list, c)
	if n := len(s.changes.list); n > changesKept {
		s.changes.list = s.changes.list[n-changesKept:]
	}
	return c, nil
}

// worldOf is a revision's estate with the directory and live state of a snapshot.
func (s *Room) worldOf(ctx context.Context, snap *present.View, revision int) (*lineup.World, error) {
	if revision == snap.Revision.Number {
		return snap.World, nil
	}
	e, err := s.present.Past.Compiled(ctx, revision)
	if err != nil {
		return nil, err
	}
	return lineup.Bind(e, snap.World.Directory, snap.World.Live), nil
}

// of gives what the change asks of each of some endpoints.
func (c *change) of(ctx context.Context, s *Room, list []*fleet.Judgement) ([][]endpoint.Expectation, error) {
	out := make([][]endpoint.Expectation, len(list))
	var missing []int
	c.mu.Lock()
	if len(c.asks) > 2*len(list)+1000 { // most are of reports that were followed by others
		clear(c.asks)
	}
	for i, j := range list {
		asks, ok := c.asks[j]
		if out[i] = asks; !ok {
			missing = append(missing, i)
		}
	}
	c.mu.Unlock()
	if len(missing) == 0 {
		return out, nil
	}
	err := s.present.Crew.Share(ctx, len(missing), nil, nil, func() func(from, to int) func() {
		var a, b lineup.Scratch
		return func(from, to int) func() {
			for _, i := range missing[from:to] {
				out[i] = c.asksOf(s, list[i], &a, &b)
			}
			return func() {}
		}
	})
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, i := range missing {
		c.asks[list[i]] = out[i]
	}
	return out, nil
}

// asksOf looks at one endpoint, in the contexts that it reported.
func (c *change) asksOf(s *Room, j *fleet.Judgement, a, b *lineup.Scratch) []endpoint.Expectation {
	touched := c.touch == nil
	for _, q := range j.Report().Contexts {
		q.Time = nil
		at, err := q.Context(s.now())
		touched = touched || err != nil || c.touch.Context(at, a, b)
	}
	if !touched {
		return nil
	}
	rec := endpoint.Record{Report: *j.Report()}
	var was endpoint.Plan
	if c.before != nil {
		was = s.planIn(c.before, rec)
	}
	return endpoint.Expect(was, s.planIn(c.after, rec))
}
