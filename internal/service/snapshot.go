package service

import (
	"context"
	"sync"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/lineup"
)

// A Snapshot is what lineups are answered from. It never changes; changed is closed when another takes its place.
type Snapshot struct {
	World            *lineup.World
	Revision         estate.Revision
	DirectoryVersion int64
	changed          chan struct{}
	findings         func() []lineup.Finding // worked out once, when first asked for
}

// Snapshot gives the present one.
func (s *Service) Snapshot() *Snapshot { return s.snapshot.Load() }

// refresh reads what a notice names again and replaces that part alone.
func (s *Service) refresh(ctx context.Context, what string) error {
	s.loading.Lock()
	defer s.loading.Unlock()
	all := what == event.Lost
	if all || what == event.Access {
		state, err := s.store.Access(ctx)
		if err != nil {
			return err
		}
		s.access.Store(&state)
	}
	if all {
		if err := s.certificates.read(ctx, s.store, ""); err != nil {
			return err
		}
	}
	if !all && what != event.Estate && what != event.Directory && what != event.Live {
		return nil
	}
	old := s.snapshot.Load()
	next := &Snapshot{changed: make(chan struct{})}
	var est *lineup.Estate
	var dir *directory.Directory
	if old != nil {
		next.Revision, next.DirectoryVersion = old.Revision, old.DirectoryVersion
		est, dir = old.World.Estate, old.World.Directory
	}
	changed := old == nil
	if all || what == event.Estate {
		current, err := s.store.CurrentRevision(ctx)
		if err != nil {
			return err
		}
		// The time counts too: a database that was put back from a copy may number anew.
		if est == nil || current.Number != next.Revision.Number || !current.At.Equal(next.Revision.At) {
			rev, doc, err := s.store.Current(ctx)
			if err != nil {
				return err
			}
			next.Revision, est, changed = rev, lineup.Compile(doc, rev.Number, s.compiling(est)), true
		}
	}
	if all || what == event.Directory {
		version, err := s.store.DirectoryVersion(ctx)
		if err != nil {
			return err
		}
		if dir == nil || version != next.DirectoryVersion {
			records, version, err := s.store.Directory(ctx, nil)
			if err != nil {
				return err
			}
			next.DirectoryVersion, dir, changed = version, directory.New(records), true
		}
	}
	if all || what == event.Live {
		state, err := s.store.Live(ctx, nil)
		if err != nil {
			return err
		}
		next.World, changed = lineup.Bind(est, dir, state), true
	} else if changed {
		next.World = lineup.Bind(est, dir, old.World.Live)
	}
	if changed {
		next.findings = sync.OnceValue(func() []lineup.Finding {
			return lineup.Check(next.World.Estate, next.World.Directory)
		})
		if old != nil && old.World.Estate == next.World.Estate && old.World.Directory == next.World.Directory {
			next.findings = old.findings // live state alone does not matter to them
		}
		s.snapshot.Store(next)
		if old != nil {
			close(old.changed)
		}
	}
	return nil
}
