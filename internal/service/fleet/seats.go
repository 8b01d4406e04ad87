package fleet

import (
	"context"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/name"
)

// Seats knows who sits where: whom an agent may speak for.
type Seats struct{ Room *Room }

// seatLasts is how long beyond two reports whoever an agent told of counts as being there.
const seatLasts = 5 * time.Minute

// seatsWithin is how long the database is asked; then it counts as away.
const seatsWithin = 3 * time.Second

// Check gives a Denied fault where an agent asks for somebody whom its machine has not reported as signed in, within
// minutes, or as the host of a session that it has not reported. Everybody else may pass. While the database is away
// nothing can be reported, and the agent's word counts.
func (s Seats) Check(ctx context.Context, p *access.Principal, queries ...lineup.Query) error {
	if p == nil || p.Role != access.Agent {
		return nil
	}
	for _, q := range queries {
		if q.User == nil && q.Host == nil {
			continue // its own machine
		}
		who := "nobody"
		if q.User != nil {
			who = *q.User
		}
		if err := s.check(ctx, p, who, func(c lineup.Query) bool {
			return same(c.User, q.User) && same(c.Host, q.Host) && (q.Host == nil || same(c.Machine, q.Machine))
		}); err != nil {
			return err
		}
	}
	return nil
}

// Sits gives the session in which an agent's machine has reported somebody as signed in, and a Denied fault where it
// has reported none. While the database is away the agent's word counts, and the session says no more than it does.
func (s Seats) Sits(ctx context.Context, p *access.Principal, person string) (seat lineup.Query, err error) {
	seat = lineup.Query{User: &person, Machine: &p.Machine}
	return seat, s.check(ctx, p, person, func(c lineup.Query) bool {
		sits := same(c.User, &person)
		if sits {
			seat = c
		}
		return sits
	})
}

func (s Seats) check(ctx context.Context, p *access.Principal, who string, is func(c lineup.Query) bool) error {
	if s.known(ctx, p.Machine, is) {
		return nil
	}
	return fault.New(fault.Denied, "not-signed-in-there", "have the agent report first: it does when a session begins",
		"%s has not reported %s as signed in, so its agent cannot speak for them", p.Machine, who)
}

func same(a, b *string) bool {
	if a == nil || b == nil {
		return a == b
	}
	return name.Fold(*a) == name.Fold(*b)
}

func (s Seats) known(ctx context.Context, machine string, is func(c lineup.Query) bool) bool {
	k := &s.Room.keep
	var j *fleet.Judgement
	k.mu.RLock()
	if k.fleet != nil { // it has been read
		j = k.fleet.Get(name.Fold(machine))
	}
	k.mu.RUnlock()
	if j != nil && s.sits(j.Report().Contexts, j.LastSeen(), is) {
		return true
	}
	// Another process may have been told since.
	ctx, cancel := context.WithTimeout(ctx, seatsWithin)
	defer cancel()
	rec, err := s.Room.store.Endpoint(ctx, machine)
	if err != nil {
		return !fault.Is(err, fault.Unknown)
	}
	return s.sits(rec.Report.Contexts, rec.LastSeen, is)
}

// sits says whether a report has a session such as the one that is asked about, and is fresh.
func (s Seats) sits(contexts []lineup.Query, seen time.Time, is func(c lineup.Query) bool) bool {
	lasts := 2*s.Room.present.View().ReportsEvery() + seatLasts
	age := s.Room.now().Sub(seen) - time.Duration(s.Room.skew.Load())
	return age <= lasts && slices.ContainsFunc(contexts, is)
}
