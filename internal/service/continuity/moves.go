package continuity

import (
	"context"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/live"
	"cirque/core/stock"
)

const stuckShown = 20

// Moves lists the servers that are out of duty or returning, each with how far its people have moved.
func (s *Room) Moves(ctx context.Context, p *access.Principal) ([]continuity.Move, error) {
	notes, err := s.Duties(ctx, p)
	if err != nil {
		return nil, err
	}
	leading, err := s.cfg.Fleet.Leading(ctx)
	if err != nil {
		return nil, err
	}
	healths, err := s.store.Healths(ctx)
	if err != nil {
		return nil, err
	}
	healths = s.present.Proven(healths)
	out := []continuity.Move{}
	for _, n := range notes {
		if n.Kind != "server" {
			continue
		}
		m := continuity.Move{Note: n, Left: leading[n.Name][0], Stuck: []continuity.Stuck{},
			Health: continuity.VerdictOf(healths, n.Name)}
		m.Endpoints = max(n.Moving, m.Left)
		if k := s.present.Stock().Server(n.Name); k.Server != nil && k.Check.OK &&
			k.Check.At.After(n.Since) {
			c := k.Server.Count()
			m.Waiting, m.Read = &c.Jobs, &k.Check.At
		}
		if n.Duty != live.Serving && m.Left > 0 {
			if m.Stuck, err = s.stuck(ctx, n.Name); err != nil {
				return nil, err
			}
		}
		m.Empty = n.Duty != live.Serving && m.Left == 0 && m.Waiting != nil && *m.Waiting == 0
		m.Says = m.Sentence(s.now())
		out = append(out, m)
	}
	return out, nil
}

func (s *Room) stuck(ctx context.Context, server string) ([]continuity.Stuck, error) {
	list, err := s.cfg.Endpoints.LeadingTo(ctx, server, stuckShown)
	if err != nil {
		return nil, err
	}
	doc := s.present.View().Document()
	v := doc.Server(server)
	leads := func(i endpoint.Want) bool { return v != nil && stock.SameAuthority(i.URI, v.URI) }
	out := []continuity.Stuck{}
	for _, r := range list {
		lineups := s.present.View().Lineups(r, s.now())
		state := s.present.View().Judge(r, endpoint.PlanFor(lineups), s.now()).State
		kind, says := continuity.WhyStuck(r, lineups, leads, state)
		out = append(out, continuity.Stuck{Machine: r.Report.Machine, State: state, Kind: kind, Says: says})
	}
	return out, nil
}
