package sources

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/testkit/rooms"
)

// archive is the store, and one directory that is read over LDAP: the people that are in it.
type archive struct {
	Store
	w     *rooms.World
	clock func() time.Time
	mu    sync.Mutex

	kept   []directory.Source
	sealed map[string][]byte
	runs   []directory.Run // newest first
	rows   map[string]bool // names that were taken in
	events []event.Event
	most   int // how many may disappear

	people  []string // that the directory has
	forgets bool     // it remembers no changes
	fails   error
	asked   []string // how it was read, and with which password it was tried
	slow    bool     // a whole pass takes until it is stopped
	stop    bool     // somebody stops the pass under way
	moved   []string // from where entries were withdrawn
}

func (a *archive) Sources(context.Context) ([]directory.Source, map[string][]byte, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	return slices.Clone(a.kept), maps.Clone(a.sealed), nil
}

func (a *archive) SaveSource(_ context.Context, v directory.Source, sealed []byte, e event.Event) error {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.kept = append(slices.DeleteFunc(a.kept, func(o directory.Source) bool { return o.Name == v.Name }), v)
	a.sealed[v.Name], a.events = sealed, append(a.events, e)
	return nil
}

func (a *archive) RemoveSource(_ context.Context, called string, _ bool, _ string, e event.Event) error {
	a.kept = slices.DeleteFunc(a.kept, func(o directory.Source) bool { return o.Name == called })
	a.events = append(a.events, e)
	return nil
}

func (a *archive) LatestRuns(context.Context, int) (map[string][]directory.Run, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	return map[string][]directory.Run{"hq": slices.Clone(a.runs)}, nil
}

func (*archive) SourceSizes(context.Context) (map[string]map[string]int, error) { return nil, nil }

func (a *archive) AddRun(_ context.Context, r directory.Run) (directory.Run, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	r.ID, r.At, r.State = int64(len(a.runs)+1), a.clock(), directory.Waiting
	if r.Author == "schedule" {
		r.State = directory.Running
	}
	a.runs = append([]directory.Run{r}, a.runs...)
	return r, nil
}

func (a *archive) SaveRun(_ context.Context, r directory.Run, events ...event.Event) (bool, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if r.Over() {
		r.Ended = new(a.clock())
	}
	i := slices.IndexFunc(a.runs, func(o directory.Run) bool { return o.ID == r.ID })
	a.runs[i], a.events = r, append(a.events, events...)
	return a.stop, nil
}

func (a *archive) take(rows, gone []directory.Row, how directory.Taking) (out directory.Import) {
	a.mu.Lock()
	defer a.mu.Unlock()
	out.Dry = how.Dry
	for _, r := range rows {
		if !a.rows[r.Name] {
			out.Added++
		}
	}
	for _, r := range gone {
		if a.rows[r.Name] {
			out.Removed++
		}
	}
	if out.Removed > a.most && how.Share < 100 {
		out.Held = "too much would disappear"
		return out
	}
	if !how.Dry {
		for _, r := range rows {
			a.rows[r.Name] = true
		}
		for _, r := range gone {
			delete(a.rows, r.Name)
		}
	}
	return out
}

func (a *archive) Import(_ context.Context, _ string, rows []directory.Row, how directory.Taking) (directory.Import,
	error) {
	var gone []directory.Row
	a.mu.Lock()
	had := slices.Collect(maps.Keys(a.rows))
	a.mu.Unlock()
	for _, name := range had {
		if !slices.ContainsFunc(rows, func(r directory.Row) bool { return r.Name == name }) {
			gone = append(gone, directory.Row{Kind: "user", Name: name})
		}
	}
	return a.take(rows, gone, how), nil
}

func (a *archive) ImportDelta(_ context.Context, _ string, rows, gone []directory.Row,
	how directory.Taking) (directory.Import, error) {
	return a.take(rows, gone, how), nil
}

func (*archive) Renames(context.Context) ([]directory.Proposal, error) { return nil, nil }

func (a *archive) read() directory.Pass {
	p := directory.Pass{Present: map[string]bool{}, Kinds: map[string]bool{"user": true}, Mark: directory.Mark{Stamp: "1"}}
	for _, n := range a.people {
		p.Entries = append(p.Entries, directory.Entry{ID: n, DN: "uid=" + n, Kind: "user", Name: n})
		p.Present[n] = true
	}
	return p
}

func (a *archive) ReadLDAP(ctx context.Context, _ directory.Source, word string, tell func(int)) (directory.Pass,
	error) {
	a.mu.Lock()
	slow := a.slow
	a.asked = append(a.asked, "whole "+word)
	a.mu.Unlock()
	if slow {
		<-ctx.Done()
		return directory.Pass{}, fault.New(fault.Unavailable, "stopped", "", "stopped")
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	tell(len(a.people))
	return a.read(), a.fails
}

func (a *archive) ChangesLDAP(_ context.Context, _ directory.Source, word string, _ directory.Mark,
	_ func(int)) (directory.Pass, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.asked = append(a.asked, "changes "+word)
	if a.forgets {
		return directory.Pass{}, fault.New(fault.Conflict, "too-long-ago", "", "it remembers too little")
	}
	return a.read(), a.fails
}

func (a *archive) TryLDAP(_ context.Context, _ directory.Source, word string) ([]directory.Entry, error) {
	a.asked = append(a.asked, "try "+word)
	return a.read().Entries, a.fails
}

func (a *archive) TryListLDAP(context.Context, directory.Source, string) error { return nil }

func (*archive) SealSource(_ directory.Source, word string) ([]byte, error) {
	return []byte("sealed " + word), nil
}

func (*archive) SourcePassword(_ directory.Source, sealed []byte) (string, error) {
	return strings.TrimPrefix(string(sealed), "sealed "), nil
}

func (a *archive) Withdraw(_ context.Context, v directory.Source, _ []byte, then func() error) error {
	a.moved = append(a.moved, v.ListUnder)
	return then()
}
