package proofs

import (
	"context"
	"maps"
	"slices"
	"sync"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/service/present"
)

// A change is a revision's difference to the one before, with the directory and the live state of now. It keeps how
// much it asks of each endpoint, since that costs four lineups: those that have not reported since are not looked at
// again.
type change struct {
	revision int
	now      *lineup.World // with whose directory and live state
	made     time.Time
	before   *lineup.World // nil of the first revision
	after    *lineup.World
	touch    *rehearse.Touch

	mu   sync.Mutex
	asks map[*fleet.Judgement]asked // guarded by mu, as is was
	was  *former                    // until everybody has been looked at
	// lists are what it asks of those of which rows were shown lately; guarded by mu.
	lists map[*fleet.Judgement][]endpoint.Expectation
}

// listsKept bounds them: no proof shows rows of so many endpoints.
const listsKept = 4096

// list gives what the change asks of one endpoint.
func (c *change) list(s *Room, j *fleet.Judgement, a, b *lineup.Scratch) []endpoint.Expectation {
	c.mu.Lock()
	list, known := c.lists[j]
	c.mu.Unlock()
	if known {
		return list
	}
	list = c.asksOf(s, j, a, b)
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.lists) >= listsKept {
		clear(c.lists)
	}
	c.lists[j] = list
	return list
}

// former is what the same change asked with another live state: what nothing between the two can concern need not be
// looked at again.
type former struct {
	asks    map[*fleet.Judgement]asked
	touches []*rehearse.Touch // from that live state to the present one, of the worlds before and after
}

// asked is how much of what a change asks of one endpoint stands how, by standings, where the endpoint reports in time.
// What it asks is worked out again for those few of which rows are shown: for a whole fleet it would be too much to
// keep.
type asked [7]int32

// standings are those by which asked counts.
var standings = endpoint.Standings()

func newAsked(list []endpoint.Expectation, j *fleet.Judgement) (out asked) {
	for _, e := range list {
		_, state := e.Stand(j.Marks, j.Report(), false)
		out[slices.Index(standings, state)]++
	}
	return out
}

// changesKept is how many changes are kept at once. Each keeps a little for every endpoint.
const changesKept = 2

// change gives a revision's.
func (s *Room) change(ctx context.Context, snap *present.View, revision int) (*change, error) {
	s.changes.Lock()
	defer s.changes.Unlock()
	kept := s.changes.list[:0]
	var found, was *change
	for _, c := range s.changes.list {
		if c.now != snap.World || c.after.Estate.Timed() && s.now().Sub(c.made) > receiversFresh {
			if c.revision == revision && c.now.Estate == snap.World.Estate && c.now.Directory == snap.World.Directory {
				was = c
			}
			continue // of another directory or live state, or of other hours
		}
		if kept = append(kept, c); c.revision == revision {
			found = c
		}
	}
	s.changes.list = kept
	if found != nil {
		return found, nil
	}
	c := &change{revision: revision, now: snap.World, made: s.now(), asks: map[*fleet.Judgement]asked{},
		lists: map[*fleet.Judgement][]endpoint.Expectation{}}
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
	if was != nil && !c.after.Estate.Timed() {
		was.mu.Lock()
		c.was = &former{maps.Clone(was.asks), []*rehearse.Touch{rehearse.NewTouch(was.after, c.after)}}
		was.mu.Unlock()
		if c.before != nil {
			c.was.touches = append(c.was.touches, rehearse.NewTouch(was.before, c.before))
		}
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
func (c *change) of(ctx context.Context, s *Room, list []*fleet.Judgement) ([]asked, error) {
	out := make([]asked, len(list))
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
	was := c.was
	c.mu.Unlock()
	if len(missing) == 0 {
		return out, nil
	}
	now := s.now()
	err := s.present.Crew.Share(ctx, len(missing), nil, nil, func() func(from, to int) func() {
		var a, b lineup.Scratch
		return func(from, to int) func() {
			for _, i := range missing[from:to] {
				if asks, same := was.same(list[i], now, &a, &b); same {
					out[i] = asks
				} else {
					out[i] = newAsked(c.asksOf(s, list[i], &a, &b), list[i])
				}
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
	c.was = nil
	return out, nil
}

// same gives what was found of an endpoint with the live state before, where nothing that has changed since can concern
// it. There may have been none before.
func (f *former) same(j *fleet.Judgement, now time.Time, a, b *lineup.Scratch) (asked, bool) {
	if f == nil {
		return asked{}, false
	}
	asks, ok := f.asks[j]
	if !ok {
		return asked{}, false
	}
	for _, t := range f.touches {
		if t.Nothing() {
			continue
		}
		for _, q := range j.Report().Contexts {
			q.Time = nil
			if at, err := q.Context(now); err != nil || t.Context(at, a, b) {
				return asked{}, false
			}
		}
	}
	return asks, true
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
	var was endpoint.Plan
	if c.before != nil {
		was = s.planIn(c.before, j.Report().Contexts, a)
	}
	return endpoint.Expect(was, s.planIn(c.after, j.Report().Contexts, b))
}
