package fleet

import (
	"cmp"
	"context"
	"slices"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/update"
)

// What other rooms ask about the fleet. They have checked who asks.

// Contexts gives the contexts in which all endpoints last reported, by endpoint.
func (s *Room) Contexts(ctx context.Context) (out []lineup.Context, err error) {
	_, err = s.look(ctx, func(f *fleet.Fleet, _ time.Time) {
		for _, j := range f.All() {
			for _, q := range j.Report().Contexts {
				q.Time = nil
				if c, err := q.Context(time.Time{}); err == nil {
					out = append(out, c)
				}
			}
		}
	})
	return out, err
}

// Every gives every endpoint, by name, and which of them are silent.
func (s *Room) Every(ctx context.Context) (list []*fleet.Judgement, silent []bool, err error) {
	_, err = s.look(ctx, func(kept *fleet.Fleet, now time.Time) {
		list = kept.All()
		silent = make([]bool, len(list))
		for i, j := range list {
			silent[i] = kept.Now(j, now) == endpoint.Silent
		}
	})
	return list, silent, err
}

// Versions tell which versions of the agent run on endpoints.
type Versions struct{ *Room }

// Agents counts endpoints by the version of their agent, its platform, and how it is brought to another; the most
// first.
func (s Versions) Agents(ctx context.Context) ([]update.Suit, error) {
	var counts map[fleet.Agent]int
	_, err := s.look(ctx, func(kept *fleet.Fleet, _ time.Time) { counts = kept.Agents() })
	out := make([]update.Suit, 0, len(counts))
	for a, n := range counts {
		out = append(out, update.Suit{Version: a.Version, Platform: a.Platform, Updates: a.Updates, Machines: n})
	}
	slices.SortFunc(out, func(x, y update.Suit) int {
		return cmp.Or(cmp.Compare(y.Machines, x.Machines), update.Compare(y.Version, x.Version),
			cmp.Compare(x.Platform, y.Platform), cmp.Compare(x.Updates, y.Updates))
	})
	return out, err
}

// Troubled gives the endpoints that fail or are silent, and how many endpoints there are in all.
func (s *Room) Troubled(ctx context.Context) (failing, silent []*fleet.Judgement, all int, err error) {
	_, err = s.look(ctx, func(f *fleet.Fleet, now time.Time) {
		for _, j := range f.Failing() {
			if f.Now(j, now) == endpoint.Failing {
				failing = append(failing, j)
			}
		}
		silent, all = f.Silent(), f.Len()
	})
	return failing, silent, all, err
}

// WithFailures gives the endpoints that reported failures, whether they are silent now or not.
func (s *Room) WithFailures(ctx context.Context) (list []*fleet.Judgement, err error) {
	_, err = s.look(ctx, func(f *fleet.Fleet, _ time.Time) { list = f.Failing() })
	return list, err
}

// OfUsers gives the endpoints on which somebody has a session, under any of their folded names.
func (s *Room) OfUsers(ctx context.Context, folded []string) (list []*fleet.Judgement, err error) {
	_, err = s.look(ctx, func(f *fleet.Fleet, _ time.Time) { list = f.OfUsers(folded...) })
	return list, err
}

// Unlisted gives the names under which sessions are reported, folded, for which listed is false, with where.
func (s *Room) Unlisted(ctx context.Context, listed func(folded string) bool) (map[string][]*fleet.Judgement, error) {
	out := map[string][]*fleet.Judgement{}
	_, err := s.look(ctx, func(f *fleet.Fleet, _ time.Time) {
		f.EachUser(func(folded string) {
			if !listed(folded) {
				out[folded] = f.OfUsers(folded)
			}
		})
	})
	return out, err
}

// Reported gives what an agent last reported from a machine, by its folded name; nil where none ever has.
func (s *Room) Reported(ctx context.Context) (of func(folded string) *fleet.Judgement, err error) {
	_, err = s.look(ctx, func(*fleet.Fleet, time.Time) {})
	return func(folded string) *fleet.Judgement {
		s.keep.mu.RLock()
		defer s.keep.mu.RUnlock()
		return s.keep.fleet.Get(folded)
	}, err
}

// Leading counts, for each server, the endpoints of which an own queue leads there, and those of them on which a step
// fails.
func (s *Room) Leading(ctx context.Context) (out map[string][2]int, err error) {
	_, err = s.look(ctx, func(f *fleet.Fleet, _ time.Time) { out = f.Leading() })
	return out, err
}

// OfQueue gives the endpoints that are to have a queue, or have it and must not, and how many endpoints there are in
// all; whether one is silent is told beside it.
func (s *Room) OfQueue(ctx context.Context, queue string) (list []*fleet.Judgement, silent []bool, all int, err error) {
	_, err = s.look(ctx, func(f *fleet.Fleet, now time.Time) {
		list, all = f.OfQueue(queue), f.Len()
		silent = make([]bool, len(list))
		for i, j := range list {
			silent[i] = f.Now(j, now) == endpoint.Silent
		}
	})
	return list, silent, all, err
}
