package lineups

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strconv"
	"time"

	"github.com/cespare/xxhash/v2"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// MaxContexts is how many contexts one question may have.
const MaxContexts = 10000

// An Answer is the lineups for some contexts, one after another as JSON. Tag changes when what they say changes, and
// does not with a mere revision or the passing of time.
type Answer struct {
	JSON []byte // an array
	Tag  string
	AsOf time.Time // it was so then, by this process's own clock: what it was made from may change while it is made
}

// Lineups answers contexts; when says from which snapshot. The answer is appended to room, which may be nil.
func (s *Room) Lineups(ctx context.Context, p *access.Principal, queries []lineup.Query, when present.When,
	room []byte) (Answer, error) {
	asOf := s.present.AsOf()
	snap, err := s.at(ctx, p, when)
	if err != nil {
		return Answer{}, err
	}
	now := s.now()
	if when.AsOf != nil {
		now = *when.AsOf
	}
	if err := s.mayAsk(ctx, p, queries...); err != nil {
		return Answer{}, err
	}
	a, _, err := s.lineups(p, snap, queries, now, false, room)
	a.AsOf = asOf
	return a, err
}

// mayAsk gives a Denied fault where somebody asks for whom they may not; an agent's people sit at its machine.
func (s *Room) mayAsk(ctx context.Context, p *access.Principal, queries ...lineup.Query) error {
	v := s.present.View()
	if err := v.CheckAsking(p, queries); err != nil {
		return err
	}
	if err := s.present.Current(); err != nil && v.CheckOwn(p, queries) != nil {
		return err // who may ask for others was so a while ago
	}
	return s.cfg.Seats.Check(ctx, p, queries...)
}

// WaitLineups is Lineups at present that, while the answer's tag is known, waits for another one, or for a call; same
// says that none came in time. It also looks again when opening hours could have changed the answer.
func (s *Room) WaitLineups(ctx context.Context, p *access.Principal, queries []lineup.Query, known string,
	wait time.Duration, room []byte) (a Answer, same bool, err error) {
	if err := s.mayAsk(ctx, p, queries...); err != nil {
		return a, false, err
	}
	timer := time.NewTimer(wait)
	defer timer.Stop()
	var called <-chan struct{}
	if p != nil && p.Role == access.Agent {
		var left func()
		called, left = s.present.Agents.Wait(p.Machine)
		defer left()
	}
	woken, spread, rung, over := false, false, false, wait <= 0
	defer s.present.Agents.Polling()()
	for {
		if p != nil && p.Serial != "" && !s.cfg.Certificates.CertificateGood(p.Serial) {
			return Answer{}, false, access.Revoked(p.Machine) // since it began to wait
		}
		asOf := s.present.AsOf()
		snap, now := s.present.View(), s.now()
		a, edge, err := s.lineups(p, snap, queries, now, true, room)
		a.AsOf = asOf
		if err == nil && a.Tag != known && woken && !spread {
			// What changed for many is not answered to all of them at once. It is worked out anew afterwards.
			spread = true
			if s.spreadOut(ctx) {
				continue
			}
		}
		if err != nil || a.Tag != known || rung || over {
			return a, a.Tag == known && !rung, err
		}
		woken = true
		var opens <-chan time.Time
		if edge != nil {
			// Not before the edge: the clock of the answer is cut to whole seconds.
			t := time.NewTimer(edge.Sub(now) + 10*time.Millisecond)
			defer t.Stop()
			opens = t.C
		}
		select {
		case <-snap.Changed():
		case <-opens:
		case <-called:
			rung = true
		case <-timer.C:
			over = true // that nothing changed is said of now
		case <-ctx.Done():
			over = true
		}
	}
}

// spreadOut waits its share of the time over which answers to a change are spread, so that no more than the estate says
// go out a second. It says whether it waited at all.
func (s *Room) spreadOut(ctx context.Context) bool {
	perSecond := s.present.View().Document().Agent().AnswersPerSecond
	over := time.Duration(s.present.Agents.Polls()) * time.Second / time.Duration(perSecond)
	if over < 20*time.Millisecond {
		return false
	}
	worker.Pause(ctx, rand.N(over))
	return true
}

// lineups also gives, where edges are wanted, the first instant at which opening hours could change an answer to the
// present, nil where none does.
func (s *Room) lineups(p *access.Principal, snap *present.View, queries []lineup.Query, now time.Time, edges bool,
	room []byte) (a Answer, edge *time.Time, err error) {
	if err := s.present.View().CheckAsking(p, queries); err != nil {
		return Answer{}, nil, err
	}
	if len(queries) > MaxContexts {
		return Answer{}, nil, fault.New(fault.TooLarge, "too-many-contexts", fmt.Sprintf("ask for at most %d at once",
			MaxContexts), "%d contexts are too many", len(queries))
	}
	scratch := s.scratch.Get().(*lineup.Scratch)
	defer s.scratch.Put(scratch)
	sum := xxhash.New()
	out := append(room, '[')
	for i, q := range queries {
		c, err := q.Context(now)
		if err == nil {
			var l *lineup.Lineup
			if l, err = snap.World.Resolve(c, scratch); err == nil {
				if i > 0 {
					out = append(out, ',')
				}
				out = l.AppendJSON(out, sum)
			}
		}
		if err != nil {
			f := fault.As(err)
			if len(queries) > 1 {
				f = f.With([]fault.Detail{{Place: fmt.Sprintf("[%d]", i), What: f.What, Fix: f.Fix}})
			}
			return Answer{}, nil, f
		}
		if edges && q.Time == nil {
			if at, ok, _ := snap.World.NextEdge(c, scratch, true); ok && (edge == nil || at.Before(*edge)) {
				edge = &at
			}
		}
	}
	return Answer{JSON: append(out, ']'), Tag: strconv.FormatUint(sum.Sum64(), 16)}, edge, nil
}

// Why explains one queue in one context; when as for Lineups.
func (s *Room) Why(ctx context.Context, p *access.Principal, q lineup.Query, queue string,
	when present.When) (*lineup.Why, error) {
	if err := s.present.View().CheckAsking(p, []lineup.Query{q}); err != nil {
		return nil, err
	}
	if err := s.mayAsk(ctx, p, q); err != nil {
		return nil, err
	}
	now := s.now()
	if when.AsOf != nil {
		now = *when.AsOf
	}
	c, err := q.Context(now)
	if err != nil {
		return nil, err
	}
	snap, err := s.at(ctx, p, when)
	if err != nil {
		return nil, err
	}
	return snap.World.Why(c, queue)
}

// at gives the view of another time, or of a draft.
func (s *Room) at(ctx context.Context, p *access.Principal, when present.When) (*present.View, error) {
	if when.Draft == "" {
		return s.present.Past.At(ctx, p, when)
	}
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	w, _, err := s.cfg.Worlds.World(ctx, p, when.Draft)
	if err != nil {
		return nil, err
	}
	return s.present.View().With(w), nil
}
