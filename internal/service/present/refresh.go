package present

import (
	"context"
	"errors"
	"sync"

	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/findings"
	"cirque/core/lineup"
)

// Refresh reads again what a notice names and replaces that part alone; a notice of what is not kept here does nothing.
// Whoever writes calls Show.
func (p *Present) Refresh(ctx context.Context, n event.Signal) error {
	all := n.What == event.Lost
	var errs []error
	read := func(concerns bool, f func(ctx context.Context) error) {
		if all || concerns {
			errs = append(errs, f(ctx))
		}
	}
	read(n.What == event.Access, p.readAccess)
	read(n.What == event.Estate, p.readEstate)
	read(n.What == event.Directory, p.readDirectory)
	read(n.What == event.Live, p.readLive)
	read(n.What == event.Stock || n.What == event.Drivers, func(ctx context.Context) error { return p.readStock(ctx, n) })
	return errors.Join(errs...)
}

func (p *Present) readAccess(ctx context.Context) error {
	asked := p.parts.accessAsked.Add(1)
	p.parts.access.Lock()
	defer p.parts.access.Unlock()
	if p.parts.accessRead >= asked {
		return nil // a reading that began after this was asked for
	}
	covers := p.parts.accessAsked.Load()
	state, err := p.cfg.Decided.Access(ctx)
	if err == nil {
		p.parts.accessRead = covers
		p.access.Store(&state)
	}
	return err
}

func (p *Present) readEstate(ctx context.Context) error {
	p.parts.estate.Lock()
	defer p.parts.estate.Unlock()
	current, err := p.cfg.Decided.CurrentRevision(ctx)
	if err != nil {
		return err
	}
	p.parts.swap.Lock()
	had, e := p.parts.revision, p.parts.compiled
	p.parts.swap.Unlock()
	if e != nil && current.Same(had) {
		return nil
	}
	rev, doc, err := p.cfg.Decided.Current(ctx)
	if err != nil {
		return err
	}
	next := lineup.Compile(doc, rev.Number, lineup.Options{Zone: p.cfg.Zone, Reuse: e})
	p.replace(func(parts *parts) { parts.compiled, parts.revision = next, rev })
	return nil
}

func (p *Present) readDirectory(ctx context.Context) error {
	p.parts.directory.Lock()
	defer p.parts.directory.Unlock()
	version, err := p.cfg.Decided.DirectoryVersion(ctx)
	if err != nil {
		return err
	}
	p.parts.swap.Lock()
	had, d := p.parts.directoryVersion, p.parts.people
	p.parts.swap.Unlock()
	if d != nil && version == had {
		return nil
	}
	records, version, err := p.cfg.Decided.Directory(ctx, nil)
	if err != nil {
		return err
	}
	next := directory.New(records)
	p.replace(func(parts *parts) { parts.people, parts.directoryVersion = next, version })
	return nil
}

func (p *Present) readLive(ctx context.Context) error {
	asked := p.parts.liveAsked.Add(1)
	p.parts.live.Lock()
	defer p.parts.live.Unlock()
	if p.parts.liveRead >= asked {
		return nil // a reading that began after this was asked for
	}
	covers := p.parts.liveAsked.Load()
	state, err := p.cfg.Decided.Live(ctx, nil)
	if err != nil {
		return err
	}
	p.parts.liveRead = covers
	state, _ = state.Stale(p.cfg.Now())
	if p.parts.state != nil && p.parts.state.Equal(state) {
		p.parts.swap.Lock()
		p.parts.state = &state // what servers have was told later
		p.parts.swap.Unlock()
		return nil // such as where a device was found to answer for the first time: nobody need look again
	}
	p.replace(func(parts *parts) { parts.state = &state })
	return nil
}

// dropStale takes out what servers told too long ago to prove anything, unless they told it again since.
func (p *Present) dropStale(ctx context.Context) {
	p.parts.swap.Lock()
	end := p.parts.state.NextStale()
	p.parts.swap.Unlock()
	if end.IsZero() || p.cfg.Now().Before(end) || p.readLive(ctx) == nil {
		return
	}
	p.parts.live.Lock()
	defer p.parts.live.Unlock()
	if state, some := p.parts.state.Stale(p.cfg.Now()); some {
		p.replace(func(parts *parts) { parts.state = &state })
	}
}

// replace puts one part in and makes the view that follows, once all parts have been read.
func (p *Present) replace(put func(*parts)) {
	p.parts.swap.Lock()
	defer p.parts.swap.Unlock()
	put(&p.parts)
	if p.parts.compiled == nil || p.parts.people == nil || p.parts.state == nil {
		return
	}
	old := p.view.Load()
	next := &View{World: lineup.Bind(p.parts.compiled, p.parts.people, *p.parts.state), Revision: p.parts.revision,
		DirectoryVersion: p.parts.directoryVersion, changed: make(chan struct{}), current: true}
	next.findings = sync.OnceValue(func() []lineup.Finding {
		return findings.Check(next.World.Estate, next.World.Directory)
	})
	if old != nil && old.World.Estate == next.World.Estate && old.World.Directory == next.World.Directory {
		next.findings = old.findings // live state alone does not matter to them
	}
	p.view.Store(next)
	if old != nil {
		close(old.changed)
	}
}
