package fleet

import (
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/service/present"
)

// sweepStep is how many endpoints are put in under one lock.
const sweepStep = 256

// sweep judges anew all endpoints that the difference between the world in which they were judged and the present one
// can concern, and those for which some grant's hours have begun or ended. It goes on until the world holds still.
func (s *Room) sweep() {
	for !s.settled() {
		s.sweepTo(s.present.View())
	}
}

func (s *Room) sweepTo(view *present.View) {
	k, now := &s.keep, s.now()
	k.mu.Lock()
	k.fleet.SilentAfter(silentAfter(view))
	all := k.fleet.Holding()
	k.mu.Unlock()
	c := concerned{to: view.World, now: now, from: map[*lineup.World]*past{}}
	var edge time.Time
	anew := make([]judged, sweepStep)
	for from := 0; from < len(all); from += sweepStep {
		some := all[from:min(from+sweepStep, len(all))]
		clear(anew)
		for i, j := range some {
			if c.concerns(j) {
				anew[i] = s.judge(view, j.Record(), now)
			}
		}
		k.mu.Lock()
		for i, h := range some {
			j := h.Judgement
			switch {
			case k.fleet.Get(j.Machine()) != j: // it has reported since: then the present view counted
				j = k.fleet.Get(j.Machine())
			case anew[i].World != nil:
				k.fleet.Put(anew[i].Judged, anew[i].Follows)
				j = k.fleet.Get(j.Machine())
			default:
				k.fleet.Same(j, view.World)
			}
			edge = earlier(edge, j.Edge)
		}
		k.mu.Unlock()
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	k.world = view.World
	// Reports that came meanwhile may have brought an earlier one; what is past is done.
	if k.edge.After(now) {
		edge = earlier(edge, k.edge)
	}
	k.edge = edge
}

// concerned tells which endpoints a sweep has to judge anew.
type concerned struct {
	to   *lineup.World
	now  time.Time
	from map[*lineup.World]*past // by the world in which they were judged
}

// past is what differs between a former world and the present one.
type past struct {
	touch *rehearse.Touch
	all   bool // more than lineups: every judgement
	a, b  lineup.Scratch
}

func (c *concerned) concerns(j fleet.Holds) bool {
	if !j.Edge.IsZero() && !j.Edge.After(c.now) {
		return true
	}
	if j.World == c.to {
		return false
	}
	p := c.from[j.World]
	if p == nil {
		// What else a judgement says goes by the directory, which leaves nothing untouched, and by these.
		was, is := j.World.Estate.Document(), c.to.Estate.Document()
		p = &past{touch: rehearse.NewTouch(j.World, c.to), all: was.Agent() != is.Agent() || !sameServers(was, is)}
		c.from[j.World] = p
	}
	if p.all || p.touch.Nothing() {
		return p.all
	}
	return slices.ContainsFunc(j.Report().Contexts, func(q lineup.Query) bool {
		q.Time = nil
		at, err := q.Context(c.now)
		return err != nil || p.touch.Context(at, &p.a, &p.b)
	})
}

// sameServers says whether two estates' servers have the same addresses: by them it is told where an endpoint leads.
func sameServers(a, b *estate.Document) bool {
	return slices.EqualFunc(a.Servers, b.Servers, func(x, y estate.Server) bool {
		return x.Name == y.Name && x.URI == y.URI
	})
}
