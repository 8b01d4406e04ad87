package drivers

import (
	"context"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/server"
	"cirque/core/stock"
)

// ServerMatrix sets queues against servers and platforms.
func (s *Room) ServerMatrix(ctx context.Context, p *access.Principal) (stock.ServerMatrix, error) {
	report, err := s.DriverReport(ctx, p)
	if err != nil {
		return stock.ServerMatrix{}, err
	}
	st := s.present.Stock()
	return stock.NewServerMatrix(s.present.View().Document(), func(called string) *stock.Server {
		return st.Server(called).Server
	}, report.Matrix), nil
}

// InsideServer lists the drivers, forms and ports of a server, as it was read last.
func (s *Room) InsideServer(ctx context.Context, p *access.Principal, called string) (stock.Inside, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return stock.Inside{}, err
	}
	if _, err := s.present.WatchedOne(stock.KindServer, called); err != nil {
		return stock.Inside{}, err
	}
	doc, st := s.present.View().Document(), s.present.Stock()
	platform := estate.ServerPlatform
	if of := doc.Server(called); of != nil {
		platform = of.RunsOn()
	}
	kept, err := s.cfg.Kept.FoundOn(ctx)
	if err != nil {
		return stock.Inside{}, err
	}
	return stock.InsideOf(doc, called, server.Reading(st.Server(called).Server, kept[called]), st.Packages, platform), nil
}
