package lineups

import (
	"context"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/lineup"
)

// Queues lists the queues of the current estate, by name. The list is not to be changed.
func (s *Room) Queues(_ context.Context, p *access.Principal) ([]lineup.QueueSheet, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	w, now := s.present.View().World, s.now()
	if k := s.sheets.Load(); k != nil && k.of == w.Estate && k.with == w.Directory &&
		k.ended == w.Estate.Ended(now) {
		return k.list, nil
	}
	doc := w.Estate.Document()
	k := &sheets{of: w.Estate, ended: w.Estate.Ended(now), with: w.Directory, list: make([]lineup.QueueSheet,
		len(doc.Queues))}
	selecting, given := w.Estate.SelectingEach(), lineup.Givens(w, now)
	keeps := lineup.KeepsOf(doc)
	for i, q := range doc.Queues {
		k.list[i] = lineup.NewQueueSheet(q, selecting[i], given[i], keeps)
	}
	s.sheets.Store(k)
	return k.list, nil
}

// sheets are what was made of an estate's queues last, with a directory: pages of them are asked for one after the
// other.
type sheets struct {
	of    *lineup.Estate
	with  *directory.Directory
	ended int // how many of its grants and queues had ended
	list  []lineup.QueueSheet
}

// Queue gives one queue by its name or an old one.
func (s *Room) Queue(_ context.Context, p *access.Principal, called string) (lineup.QueueSheet, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return lineup.QueueSheet{}, err
	}
	return s.present.View().Queue(called, s.now())
}
