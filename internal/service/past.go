package service

import (
	"context"
	"slices"
	"sync"

	"cirque/core/access"
	"cirque/core/lineup"
)

// past keeps a few compiled former revisions, the latest asked for first.
type past struct {
	mu   sync.Mutex
	list []*lineup.Estate // guarded by mu
}

const pastKept = 4

func (p *past) get(revision int) *lineup.Estate {
	p.mu.Lock()
	defer p.mu.Unlock()
	i := slices.IndexFunc(p.list, func(e *lineup.Estate) bool { return e.Revision() == revision })
	if i < 0 {
		return nil
	}
	e := p.list[i]
	p.list = slices.Insert(slices.Delete(p.list, i, i+1), 0, e)
	return e
}

func (p *past) put(e *lineup.Estate) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.list = slices.Insert(p.list, 0, e)
	p.list = p.list[:min(len(p.list), pastKept)]
}

// at gives a snapshot with another revision of the estate in it, and the directory and live state of the present. Number
// 0 is the present as a whole.
func (s *Service) at(ctx context.Context, p *access.Principal, revision int) (*Snapshot, error) {
	snap := s.Snapshot()
	if revision == 0 || revision == snap.Revision.Number {
		return snap, nil
	}
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	e := s.past.get(revision)
	if e == nil {
		_, doc, err := s.store.Revision(ctx, revision)
		if err != nil {
			return nil, err
		}
		e = lineup.Compile(doc, revision)
		s.past.put(e)
	}
	return &Snapshot{World: lineup.Bind(e, snap.World.Directory, snap.World.Live), DirectoryVersion: snap.DirectoryVersion, changed: snap.changed}, nil
}
