package people

import (
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// Pick notes that a person picks a queue, or does so no more. An unknown queue is an Unknown fault.
func (s *Room) Pick(ctx context.Context, p *access.Principal, person, queue string, picked bool) (changed bool,
	err error) {
	own := s.present.View().IsPerson(p, person)
	if err := access.Check(p, access.PickFor); err != nil && (!own || access.Check(p, access.PickOwn) != nil) {
		return false, err
	}
	if !name.Valid(person) {
		return false, fault.New(fault.Invalid, "person-missing", "say whose pick it is", "%q names no person", person)
	}
	q, err := s.present.View().Queue(queue)
	if err != nil {
		return false, err
	}
	if !own {
		if err := access.CheckObject(p, access.PickFor, s.present.View().Document(), estate.Ref{List: "queues",
			Name: q.Name}); err != nil {
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
