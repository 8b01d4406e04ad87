package continuity

import (
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/fault"
	"cirque/core/server"
	"cirque/core/stock"
)

// Sets compares the members of each server set.
func (s *Room) Sets(ctx context.Context, p *access.Principal) ([]stock.SetView, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	healths, err := s.store.Healths(ctx)
	if err != nil {
		return nil, err
	}
	healths = s.present.Proven(healths)
	kept, err := s.cfg.Kept.FoundOn(ctx)
	if err != nil {
		return nil, err
	}
	besides := func(called string, r *stock.Server) *stock.Server { return server.Reading(r, kept[called]) }
	out := []stock.SetView{}
	snap := s.present.View()
	for _, set := range snap.Document().ServerSets {
		v := s.present.Stock().SetView(snap.Document(), set, besides)
		for i := range v.Members {
			m := &v.Members[i]
			m.Duty, m.Share, m.Health = string(snap.World.Live.Server(m.Name)), snap.World.Live.Share(m.Name),
				string(continuity.VerdictOf(healths, m.Name))
		}
		out = append(out, v)
	}
	return out, nil
}

// Set compares the members of one server set.
func (s *Room) Set(ctx context.Context, p *access.Principal, name string) (stock.SetView, error) {
	list, err := s.Sets(ctx, p)
	if err != nil {
		return stock.SetView{}, err
	}
	i := slices.IndexFunc(list, func(v stock.SetView) bool { return v.Name == name })
	if i < 0 {
		return stock.SetView{}, fault.New(fault.Unknown, "set-unknown", "see cirque server set",
			"the estate has no server set %q", name)
	}
	return list[i], nil
}
