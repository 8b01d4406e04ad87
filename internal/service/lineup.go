package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"time"

	"cirque/core/access"
	"cirque/core/lineup"
	"cirque/internal/fault"
)

// MaxContexts is how many contexts one question may have.
const MaxContexts = 10000

// An Answer is the lineups for some contexts. Tag changes when what they say changes, and does not with a mere revision
// or the passing of time.
type Answer struct {
	Lineups []lineup.Lineup
	Tag     string
}

// Lineups answers contexts from the present snapshot, or with another revision of the estate where its number is not 0.
func (s *Service) Lineups(ctx context.Context, p *access.Principal, queries []lineup.Query, revision int) (Answer, error) {
	snap, err := s.at(ctx, p, revision)
	if err != nil {
		return Answer{}, err
	}
	return s.lineups(p, snap, queries)
}

// WaitLineups is Lineups that, while the answer's tag is known, waits for another one, or for a call; same says that none came in time.
func (s *Service) WaitLineups(ctx context.Context, p *access.Principal, queries []lineup.Query, known string, wait time.Duration) (a Answer, same bool, err error) {
	timer := time.NewTimer(wait)
	defer timer.Stop()
	var called <-chan struct{}
	if p != nil && p.Role == access.Agent {
		called = s.callers.bell(p.Machine)
	}
	s.waiting.Add(1) // from here on it can be called
	defer s.waiting.Add(-1)
	for {
		snap := s.Snapshot()
		a, err := s.lineups(p, snap, queries)
		if err != nil || a.Tag != known {
			return a, false, err
		}
		select {
		case <-snap.changed:
		case <-called:
			return a, false, nil
		case <-timer.C:
			return a, true, nil
		case <-ctx.Done():
			return a, true, nil
		}
	}
}

// Waiting counts the long polls under way.
func (s *Service) Waiting() int { return int(s.waiting.Load()) }

func (s *Service) lineups(p *access.Principal, snap *Snapshot, queries []lineup.Query) (Answer, error) {
	if err := checkAsking(p, queries); err != nil {
		return Answer{}, err
	}
	if len(queries) > MaxContexts {
		return Answer{}, fault.New(fault.TooLarge, "too-many-contexts", fmt.Sprintf("ask for at most %d at once", MaxContexts), "%d contexts are too many", len(queries))
	}
	now := s.now()
	scratch := s.scratch.Get().(*lineup.Scratch)
	defer s.scratch.Put(scratch)
	a := Answer{Lineups: make([]lineup.Lineup, 0, len(queries))}
	sum := sha256.New()
	enc := json.NewEncoder(sum)
	for i, q := range queries {
		l, err := s.one(snap, q, now, scratch)
		if err != nil {
			f := fault.As(err)
			if len(queries) > 1 {
				f = f.With([]fault.Detail{{Place: fmt.Sprintf("[%d]", i), What: f.What, Fix: f.Fix}})
			}
			return Answer{}, f
		}
		a.Lineups = append(a.Lineups, *l)
		said := *l
		said.Revision, said.Context.Time = 0, time.Time{}
		if err := enc.Encode(said); err != nil {
			return Answer{}, err
		}
	}
	a.Tag = hex.EncodeToString(sum.Sum(nil)[:16])
	return a, nil
}

func (s *Service) one(snap *Snapshot, q lineup.Query, now time.Time, scratch *lineup.Scratch) (*lineup.Lineup, error) {
	c, err := q.Context(now)
	if err != nil {
		return nil, err
	}
	return snap.World.Resolve(c, scratch)
}

// checkAsking lets an agent ask only as its own machine: as the place where somebody sits, or as the session host.
func checkAsking(p *access.Principal, queries []lineup.Query) error {
	if access.Check(p, access.AskAny) == nil {
		return nil
	}
	if err := access.Check(p, access.AskOwn); err != nil {
		return err
	}
	for _, q := range queries {
		machine := q.Machine
		if q.Host != nil {
			machine = q.Host
		}
		said := ""
		if machine != nil {
			said = *machine
		}
		if err := access.CheckMachine(p, said); err != nil {
			return err
		}
	}
	return nil
}

// Why explains one queue in one context; revision as for Lineups.
func (s *Service) Why(ctx context.Context, p *access.Principal, q lineup.Query, queue string, revision int) (*lineup.Why, error) {
	if err := checkAsking(p, []lineup.Query{q}); err != nil {
		return nil, err
	}
	c, err := q.Context(s.now())
	if err != nil {
		return nil, err
	}
	snap, err := s.at(ctx, p, revision)
	if err != nil {
		return nil, err
	}
	return snap.World.Why(c, queue)
}
