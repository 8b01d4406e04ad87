package people

import (
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/internal/service/worker"
)

// Pick notes that a person picks a queue, or does so no more. Only what some grant offers them, at any place and time,
// can be picked. An unknown queue or person is an Unknown fault.
func (s *Room) Pick(ctx context.Context, p *access.Principal, person, queue string, picked bool) (changed bool,
	err error) {
	own := s.present.View().IsPerson(p, person)
	if err := access.Check(p, access.PickFor); err != nil && (!own || access.Check(p, access.PickOwn) != nil) {
		return false, err
	}
	if !name.Valid(person) {
		return false, fault.New(fault.Invalid, "person-missing", "say whose pick it is", "%q names no person", person)
	}
	q, err := s.present.View().Queue(queue, s.now())
	if err != nil {
		return false, err
	}
	if !own {
		if err := access.CheckObject(p, access.PickFor, s.present.View().Document(), estate.Ref{List: "queues",
			Name: q.Name}); err != nil {
			return false, err
		}
	}
	if picked {
		if !own {
			if err := s.cfg.Known.KnownPerson(ctx, person); err != nil {
				return false, err
			}
		}
		if err := lineup.CheckPick(s.present.View().World, person, q.Name, s.now()); err != nil {
			return false, err
		}
	}
	e := event.Event{Kind: event.Picked, Subject: q.Name, Author: p.Name}.Saying("{queue} was picked for {person}",
		"queue", q.Name, "person", event.Person(person))
	if !picked {
		e.Kind = event.Unpicked
		e = e.Saying("{queue} is no longer picked by {person}", "queue", q.Name, "person", event.Person(person))
	}
	names := s.present.View().NamesOf(person)
	if picked {
		names = names[:1]
	}
	for _, n := range names {
		once, err := s.store.SetPick(ctx, n, q.Name, picked, e)
		if err != nil {
			return changed, err
		}
		changed = changed || once
	}
	s.present.Show(ctx, event.Signal{What: event.Live})
	return changed, nil
}

// follow looks, whenever another revision is current, which picks nothing offers any more, and which requests it
// grants, until ctx is done. A grant that merely does not match just now ends no pick.
func (s *Room) follow(ctx context.Context) error {
	var looked *lineup.World
	for ctx.Err() == nil {
		v := s.present.View()
		if looked == nil || looked.Estate != v.World.Estate {
			if err := errors.Join(s.endUnoffered(ctx, v.World), s.settleRequests(ctx, v.World)); err != nil {
				if ctx.Err() == nil {
					s.log.Warn("picks and requests could not follow the estate", "error", err)
				}
				worker.Pause(ctx, retryPicks)
				continue
			}
			looked = v.World
		}
		select {
		case <-v.Changed():
		case <-time.After(lookAgain):
			looked = nil // a request may have been granted in a draft that was published at that moment
		case <-ctx.Done():
		}
	}
	return nil
}

const (
	retryPicks = 10 * time.Second
	lookAgain  = time.Minute
)

func (s *Room) endUnoffered(ctx context.Context, w *lineup.World) error {
	for _, person := range slices.Sorted(maps.Keys(w.Live.Picks)) {
		for _, queue := range w.Live.Picks[person] {
			if lineup.Offers(w, person, queue, s.now()) {
				continue
			}
			if _, err := s.store.SetPick(ctx, person, queue, false, event.Event{Kind: event.Unpicked, Subject: queue,
				Author: "picks"}.Saying("{queue} is no longer picked by {person}: no grant offers it to them any more", "queue",
				queue, "person", event.Person(person))); err != nil {
				return err
			}
		}
	}
	return nil
}

// Picks lists the queues that a person has picked.
func (s *Room) Picks(_ context.Context, p *access.Principal, person string) ([]string, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil && (!s.present.View().IsPerson(p, person) ||
		access.Check(p,
			access.PickOwn) != nil) {
		return nil, err
	}
	out := []string{}
	for _, n := range s.present.View().NamesOf(person) {
		for _, q := range s.present.View().World.Live.Picks[n] {
			if !slices.Contains(out, q) {
				out = append(out, q)
			}
		}
	}
	return out, nil
}
