package service

import (
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/stock"
)

// Sets compares the members of each server set.
func (s *Service) Sets(ctx context.Context, p *access.Principal) ([]stock.SetView, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	healths, err := s.store.Healths(ctx)
	if err != nil {
		return nil, err
	}
	out := []stock.SetView{}
	snap := s.Snapshot()
	for _, set := range snap.World.Estate.Document().ServerSets {
		v := s.setView(snap, set)
		for i := range v.Members {
			m := &v.Members[i]
			m.Duty, m.Share, m.Health = string(snap.World.Live.Server(m.Name)), snap.World.Live.Share(m.Name),
				string(verdictOf(healths, m.Name))
		}
		out = append(out, v)
	}
	return out, nil
}

func (s *Service) setView(snap *Snapshot, set estate.ServerSet) stock.SetView {
	kept := s.stock.Load().kept
	return stock.NewSetView(snap.World.Estate.Document(), set, func(server string) *stock.Server {
		return kept[[2]string{stock.KindServer, server}].Server
	})
}

// Set compares the members of one server set.
func (s *Service) Set(ctx context.Context, p *access.Principal, name string) (stock.SetView, error) {
	list, err := s.Sets(ctx, p)
	if err != nil {
		return stock.SetView{}, err
	}
	i := slices.IndexFunc(list, func(v stock.SetView) bool { return v.Name == name })
	if i < 0 {
		return stock.SetView{}, fault.New(fault.Unknown, "set-unknown", "see cirque server sets",
			"the estate has no server set %q", name)
	}
	return list[i], nil
}

// foundOut gives what the stock adds to the findings about the estate: sets that are relied on for queues that a member
// lacks.
func (s *Service) foundOut(snap *Snapshot) []lineup.Finding {
	var out []lineup.Finding
	for _, set := range snap.World.Estate.Document().ServerSets {
		for _, says := range s.setView(snap, set).Lacks() {
			out = append(out, lineup.Finding{Severity: "warning", Object: "server set " + set.Name,
				At: estate.Ref{List: "server_sets", Name: set.Name}, Says: says, Fix: "set the queue up there, or take the " +
					"server out of the set; see cirque server set " + set.Name})
		}
	}
	return out
}
