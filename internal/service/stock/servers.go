package stock

import (
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// AddServer registers a print server after having read it.
func (s *Room) AddServer(ctx context.Context, p *access.Principal, w stock.Watch,
	anyway bool) (stock.ServerView, error) {
	w.Kind = stock.KindServer
	w, err := s.register(ctx, p, w, anyway)
	if err != nil {
		return stock.ServerView{}, err
	}
	sheet, err := s.ServerSheet(ctx, p, w.Name)
	return sheet.ServerView, err
}

func (s *Room) serverView(l stock.Listed) stock.ServerView {
	snap, st := s.present.View(), s.present.Stock()
	_, registered := st.Watches[present.Watched{Kind: stock.KindServer, Name: l.Name}]
	v := stock.ServerView{Watch: l.Watch, InEstate: l.InEstate, Registered: registered,
		Duty: string(snap.World.Live.Server(l.Name)), Sets: []string{}, Check: l.Check}
	doc := snap.Document()
	if of := doc.Server(l.Name); of != nil {
		v.Kept = of.Kept
	}
	for _, set := range doc.ServerSets {
		if slices.Contains(set.Members, l.Name) {
			v.Sets = append(v.Sets, set.Name)
		}
	}
	if r := st.Server(l.Name).Server; r != nil {
		v.Count, v.Listing, v.Started, v.Restarts = r.Count(), r.Listing, r.Started, r.Restarts
		models := map[string]bool{}
		for _, q := range r.Queues {
			if q.Model != "" {
				models[q.Model] = true
			}
		}
		v.Drivers = len(models)
		for _, d := range stock.ServerDifferences(doc, l.Name, r) {
			if d.Severity != "note" {
				v.Differences++
			}
		}
	}
	return v
}

// Servers lists all print servers, the estate's and those registered by hand.
func (s *Room) Servers(_ context.Context, p *access.Principal) ([]stock.ServerView, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	out := []stock.ServerView{}
	for _, l := range s.present.Watched(stock.KindServer) {
		out = append(out, s.serverView(l))
	}
	return out, nil
}

// ServerSheet gives all about one server.
func (s *Room) ServerSheet(_ context.Context, p *access.Principal, name string) (stock.ServerSheet, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return stock.ServerSheet{}, err
	}
	l, err := s.present.WatchedOne(stock.KindServer, name)
	if err != nil {
		return stock.ServerSheet{}, err
	}
	r := s.present.Stock().Server(name).Server
	return stock.ServerSheet{ServerView: s.serverView(l), Queues: s.queuesOf(l, r),
		Differs: stock.ServerDifferences(s.present.View().Document(), name, r)}, nil
}

func (s *Room) queuesOf(l stock.Listed, r *stock.Server) []stock.QueueView {
	out := []stock.QueueView{}
	if r == nil {
		return out
	}
	through := stock.Through(s.present.View().Document(), l.Name)
	for _, q := range r.Queues {
		v := stock.QueueView{Queue: q, Server: l.Name, Leads: through[q.Name], Read: r.At}
		if v.Leads == nil {
			v.Leads = []string{}
		}
		if l.Check != nil && l.Check.Answered != nil {
			v.Read = *l.Check.Answered
		}
		out = append(out, v)
	}
	return out
}

// FoundQueues lists the queues of all servers.
func (s *Room) FoundQueues(_ context.Context, p *access.Principal) ([]stock.QueueView, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	out := []stock.QueueView{}
	for _, l := range s.present.Watched(stock.KindServer) {
		out = append(out, s.queuesOf(l, s.present.Stock().Server(l.Name).Server)...)
	}
	return out, nil
}

// CompareServers compares the queues of two servers.
func (s *Room) CompareServers(_ context.Context, p *access.Principal, a, b string) ([]stock.Pair, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	st := s.present.Stock()
	for _, n := range []string{a, b} {
		if _, err := s.present.WatchedOne(stock.KindServer, n); err != nil {
			return nil, err
		}
	}
	return stock.ComparePair(st.Server(a).Server, st.Server(b).Server), nil
}
