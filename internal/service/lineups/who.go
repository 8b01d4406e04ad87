package lineups

import (
	"cmp"
	"context"
	"slices"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
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
	of := rollKey{p.Role, queue, from, until, s.present.View().World}
	if kept, ok := s.rolls.get(of, s.now()); ok {
		return kept, nil
	}
	out, err := s.who(ctx, p, queue, from, until)
	if err == nil {
		s.rolls.keep(of, out, s.now())
	}
	return out, err
}

func (s *Room) who(ctx context.Context, p *access.Principal, queue string, from,
	until time.Time) (rehearse.RollSheet, error) {
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
			if r.At != nil && r.At.After(from) && r.At.Before(until) {
				moments = append(moments, present.When{AsOf: r.At})
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
	for _, h := range out.Holders {
		if h.Kind == "user" {
			out.Have.People++
		} else {
			out.Have.Machines++
		}
		out.Have.Contexts += h.Contexts
	}
	return out, nil
}

// rolls keeps the latest answer to Who for as long as somebody may be reading it page by page: each looks at everybody.
type rolls struct {
	sync.Mutex
	of    rollKey // guarded by the mutex, as are the others
	sheet rehearse.RollSheet
	at    time.Time
}

type rollKey struct {
	by          access.Role // what may be looked at is by role
	queue       string
	from, until time.Time
	world       *lineup.World
}

// rollFresh is for how long an answer is kept.
const rollFresh = 20 * time.Second

// get gives what is kept; it is not to be changed.
func (r *rolls) get(of rollKey, now time.Time) (rehearse.RollSheet, bool) {
	r.Lock()
	defer r.Unlock()
	return r.sheet, r.of == of && now.Sub(r.at) < rollFresh
}

func (r *rolls) keep(of rollKey, sheet rehearse.RollSheet, now time.Time) {
	r.Lock()
	defer r.Unlock()
	r.of, r.sheet, r.at = of, sheet, now
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

// Bare lists who has no queue at all just now: people, then machines, by name. A machine is none of them where somebody
// has a queue there.
func (s *Room) Bare(ctx context.Context, p *access.Principal) ([]rehearse.Subject, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	snap := s.present.View()
	cases, err := s.Cases(ctx, snap)
	if err != nil {
		return nil, err
	}
	out, has := []rehearse.Subject{}, map[string]bool{}
	now := s.now().UTC()
	err = s.present.Crew.Share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		return func(from, to int) func() {
			some, had := rehearse.Bare(snap.World, cases.List, now, from, to)
			return func() {
				out = append(out, some...)
				for _, m := range had {
					has[m] = true
				}
			}
		}
	})
	out = slices.DeleteFunc(out, func(b rehearse.Subject) bool { return b.Kind == "machine" && has[name.Fold(b.Name)] })
	slices.SortFunc(out, func(a, b rehearse.Subject) int {
		return cmp.Or(-cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name))
	})
	return out, err
}
