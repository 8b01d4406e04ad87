package lineups

import (
	"context"

	"cirque/core/access"
	"cirque/core/lineup"
)

// Queues lists the queues of the current estate, by name.
func (s *Room) Queues(_ context.Context, p *access.Principal) ([]lineup.QueueSheet, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	e := s.present.View().World.Estate
	doc := e.Document()
	out := make([]lineup.QueueSheet, len(doc.Queues))
	selecting := e.SelectingEach()
	for i, q := range doc.Queues {
		out[i] = lineup.NewQueueSheet(q, selecting[i])
	}
	return out, nil
}

// Queue gives one queue by its name or an old one.
func (s *Room) Queue(_ context.Context, p *access.Principal, called string) (lineup.QueueSheet, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return lineup.QueueSheet{}, err
	}
	return s.present.View().Queue(called)
}
