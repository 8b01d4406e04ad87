package lineups

import (
	"context"

	"cirque/core/access"
	"cirque/core/lineup"
)

// Queues lists the queues of the current estate, by name. The list is not to be changed.
func (s *Room) Queues(_ context.Context, p *access.Principal) ([]lineup.QueueSheet, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	e := s.present.View().World.Estate
	if k := s.sheets.Load(); k != nil && k.of == e {
		return k.list, nil
	}
	doc := e.Document()
	k := &sheets{of: e, list: make([]lineup.QueueSheet, len(doc.Queues))}
	selecting := e.SelectingEach()
	for i, q := range doc.Queues {
		k.list[i] = lineup.NewQueueSheet(q, selecting[i])
	}
	s.sheets.Store(k)
	return k.list, nil
}

// sheets are what was made of an estate's queues last: pages of them are asked for one after the other.
type sheets struct {
	of   *lineup.Estate
	list []lineup.QueueSheet
}

// Queue gives one queue by its name or an old one.
func (s *Room) Queue(_ context.Context, p *access.Principal, called string) (lineup.QueueSheet, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return lineup.QueueSheet{}, err
	}
	return s.present.View().Queue(called)
}
