package lineups

import (
	"context"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/service/present"
)

// Who finds everybody whose lineup has a queue, at a moment of the past or throughout a time of it: with the estate,
// the directory, live state and picks as they were, in the contexts in which people were last seen. until may be zero.
func (s *Room) Who(ctx context.Context, p *access.Principal, queue string, from,
	until time.Time) (rehearse.RollSheet, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return rehearse.RollSheet{}, err
	}
	out := rehearse.RollSheet{Queue: queue, From: from, Until: until, Holders: []rehearse.Holder{}, Revisions: []int{}}
	moments := []present.When{{}}
	if !from.IsZero() {
		moments[0].AsOf = &from
	} else {
		out.From = s.now().UTC().Truncate(time.Second)
	}
	if until.IsZero() {
		until = out.From.Add(time.Second)
		out.Until = out.From
	} else {
		// The estate may have changed in that time.
		list, err := s.store.Revisions(ctx, 1000)
		if err != nil {
			return out, err
		}
		for _, r := range slices.Backward(list) {
			if r.At.After(from) && r.At.Before(until) {
				moments = append(moments, present.When{AsOf: &r.At})
			}
		}
	}
	known := false
	for i, m := range moments {
		snap, err := s.at(ctx, p, m)
		if fault.Is(err, fault.Unknown) && len(moments) > i+1 {
			continue // nothing was published yet
		}
		if err != nil {
			return out, err
		}
		out.Revisions = append(out.Revisions, snap.World.Estate.Revision())
		present, ok := snap.World.Estate.HasQueue(queue)
		if !ok {
			continue
		}
		known, out.Queue = true, present
		begin, end := out.From, until
		if m.AsOf != nil {
			begin = *m.AsOf
		}
		if i+1 < len(moments) {
			end = *moments[i+1].AsOf
		}
		if err := s.roll(ctx, snap, present, begin, end, &out); err != nil {
			return out, err
		}
	}
	if !known {
		return out, fault.New(fault.Unknown, "queue-unknown", "see cirque queue list", "the estate of that time has "+
			"no queue %q", queue)
	}
	return out, nil
}

// roll adds who had a queue in one stretch of time.
func (s *Room) roll(ctx context.Context, snap *present.View, queue string, begin, end time.Time,
	out *rehearse.RollSheet) error {
	present, err := s.Cases(ctx, s.present.View())
	if err != nil {
		return err
	}
	cases := present
	if snap.World.Directory != s.present.View().World.Directory {
		var seen []lineup.Context
		for _, c := range present.List {
			if c.Seen {
				seen = append(seen, c.Context)
			}
		}
		cases = rehearse.NewCases(snap.World.Directory, snap.Document().Stations, seen)
	}
	var rolls []rehearse.Roll
	if err := s.present.Crew.Share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		return func(from, to int) func() {
			r := rehearse.Holders(snap.World, cases.List, queue, begin, end, from, to)
			return func() { rolls = append(rolls, r) }
		}
	}); err != nil {
		return err
	}
	rehearse.AddRolls(&out.Holders, &out.Looked, &out.Permitted, rolls)
	return nil
}

// Bare lists who has no queue at all just now, in the contexts in which they were last seen.
func (s *Room) Bare(ctx context.Context, p *access.Principal) (people, machines []string, err error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, nil, err
	}
	snap := s.present.View()
	cases, err := s.Cases(ctx, snap)
	if err != nil {
		return nil, nil, err
	}
	people, machines = []string{}, []string{}
	now := s.now().UTC()
	err = s.present.Crew.Share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		return func(from, to int) func() {
			a, b := rehearse.Bare(snap.World, cases.List, now, from, to)
			return func() { people, machines = append(people, a...), append(machines, b...) }
		}
	})
	slices.Sort(people)
	slices.Sort(machines)
	return people, machines, err
}
