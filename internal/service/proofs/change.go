package proofs

import (
	"context"
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
	rows []row   // by endpoint, in the order of the fleet; guarded by mu, as are the others
	was  *former // until everybody has been looked at
	// shown is what stands behind the rows of those of which any were shown lately.
	shown map[*fleet.Judgement]shown
}

// row is what a change asks of one endpoint, with its last report.
type row struct {
	of *fleet.Judgement
	asked
}

// shown is what a change asks of an endpoint, and what it is to have now.
type shown struct {
	asks []endpoint.Expectation
	now  endpoint.Plan
}

// shownKept bounds them: a proof shows rows of so many endpoints at most, unless it is asked for more than usual.
const shownKept = 1024

// show gives what stands behind one endpoint's rows; mu is held.
func (c *change) show(s *Room, j *fleet.Judgement, a, b *lineup.Scratch) shown {
	one, known := c.shown[j]
	if known {
		return one
	}
	one = shown{c.asksOf(s, j, a, b), s.planIn(c.now, j.Report().Contexts, a)}
	if len(c.shown) >= shownKept {
		clear(c.shown)
	}
	c.shown[j] = one
	return one
}

// former is what the same change asked with another live state: what nothing between the two can concern need not be
// looked at again.
type former struct {
	rows    []row
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
	c := &change{revision: revision, now: snap.World, made: s.now(), shown: map[*fleet.Judgement]shown{}}
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
		c.was = &former{slices.Clone(was.rows), []*rehearse.Touch{rehearse.NewTouch(was.after, c.after)}}
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

// look brings rows to a list of all endpoints: those that are where they were, with the same report, are not looked at
// again. mu is held, so that several who ask at once have it looked at once.
func (c *change) look(ctx context.Context, s *Room, list []*fleet.Judgement) error {
	missing := c.align(list)
	if len(missing) == 0 {
		return nil
	}
	now := s.now()
	err := s.present.Crew.Share(ctx, len(missing), nil, nil, func() func(from, to int) func() {
		var a, b lineup.Scratch
		return func(from, to int) func() {
			for _, i := range missing[from:to] { // nobody else has these rows
				asks, same := c.was.same(i, list[i], now, &a, &b)
				if !same {
					asks = newAsked(c.asksOf(s, list[i], &a, &b), list[i])
				}
				c.rows[i] = row{list[i], asks}
			}
			return func() {}
		}
	})
	if err == nil {
		c.was = nil
	}
	return err
}

// align puts the rows of the endpoints in a list where these are, and gives the places of those of which nothing is
// known; they have no endpoint then. The list is mostly of the same endpoints; where it is not, those after the first
// that is new or gone are looked for.
func (c *change) align(list []*fleet.Judgement) (missing []int) {
	var elsewhere map[*fleet.Judgement]asked
	if len(c.rows) != len(list) {
		elsewhere = make(map[*fleet.Judgement]asked, len(c.rows))
		for _, r := range c.rows {
			elsewhere[r.of] = r.asked
		}
		c.rows = make([]row, len(list))
	}
	for i, j := range list {
		if c.rows[i].of == j {
			continue
		}
		asks, known := elsewhere[j]
		if c.rows[i] = (row{j, asks}); !known {
			c.rows[i].of = nil
			missing = append(missing, i)
		}
	}
	return missing
}

// same gives what was found of the endpoint at a place with the live state before, where nothing that has changed since
// can concern it. There may have been none before.
func (f *former) same(i int, j *fleet.Judgement, now time.Time, a, b *lineup.Scratch) (asked, bool) {
	if f == nil || i >= len(f.rows) || f.rows[i].of != j {
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
	return f.rows[i].asked, true
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
