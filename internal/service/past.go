package service

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/lineup"
)

// past keeps a few compiled former revisions, the latest asked for first.
type past struct {
	mu   sync.Mutex
	list []*lineup.Estate // guarded by mu
}

const pastKept = 8

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

// drafted keeps a few compiled drafts.
type drafted struct {
	mu   sync.Mutex
	list []draftedOne // guarded by mu
}

type draftedOne struct {
	id, version int64
	on          int // the revision with which it is merged
	estate      *lineup.Estate
}

func (d *drafted) get(id, version int64, on int) *lineup.Estate {
	d.mu.Lock()
	defer d.mu.Unlock()
	for _, one := range d.list {
		if one.id == id && one.version == version && one.on == on && id != 0 {
			return one.estate
		}
	}
	return nil
}

func (d *drafted) put(id, version int64, on int, e *lineup.Estate) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.list = slices.DeleteFunc(d.list, func(one draftedOne) bool { return one.id == id })
	d.list = slices.Insert(d.list, 0, draftedOne{id, version, on, e})
	d.list = d.list[:min(len(d.list), 4)]
}

// before keeps a few former directories, by the import after which they held.
type before struct {
	mu   sync.Mutex
	list []formerDirectory // guarded by mu
}

type formerDirectory struct {
	version   int64
	at        time.Time
	directory *directory.Directory
}

// A When says which estate, directory and live state are asked. The zero When is the present.
type When struct {
	Revision int        // of the estate; 0 for the one that was current
	Draft    string     // the name of one's own draft, as it would be if it were published now
	AsOf     *time.Time // directory, live state and picks of that moment
}

// ParseWhen reads "", a number, "draft" or "draft:NAME".
func ParseWhen(revision string, asOf *time.Time) (When, error) {
	w := When{AsOf: asOf}
	if called, ok := strings.CutPrefix(revision, "draft"); ok && (called == "" || called[0] == ':') {
		if w.Draft = strings.TrimPrefix(called, ":"); w.Draft == "" {
			w.Draft = MainDraft
		}
		if asOf != nil {
			return w, fault.New(fault.Invalid, "when-invalid", "ask for a revision's number, or leave the time out",
				"a draft has no past")
		}
		return w, nil
	}
	if revision != "" {
		n, err := strconv.Atoi(revision)
		if err != nil || n < 0 {
			return w, fault.New(fault.Invalid, "when-invalid", "write a number, draft or draft:NAME",
				"%q is no revision", revision)
		}
		w.Revision = n
	}
	return w, nil
}

// compiled gives a former revision's estate.
func (s *Service) compiled(ctx context.Context, revision int) (*lineup.Estate, error) {
	if e := s.past.get(revision); e != nil {
		return e, nil
	}
	_, doc, err := s.store.Revision(ctx, revision)
	if err != nil {
		return nil, err
	}
	e := lineup.Compile(doc, revision, s.compiling(s.Snapshot().World.Estate))
	s.past.put(e)
	return e, nil
}

// at gives a snapshot of another time, or of a draft.
func (s *Service) at(ctx context.Context, p *access.Principal, when When) (*Snapshot, error) {
	snap := s.Snapshot()
	if when.AsOf == nil && when.Draft == "" && (when.Revision == 0 || when.Revision == snap.Revision.Number) {
		return snap, nil
	}
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	if when.Draft != "" {
		w, _, err := s.world(ctx, p, when.Draft)
		if err != nil {
			return nil, err
		}
		return &Snapshot{World: w, DirectoryVersion: snap.DirectoryVersion, changed: snap.changed}, nil
	}
	out := &Snapshot{Revision: snap.Revision, DirectoryVersion: snap.DirectoryVersion, changed: snap.changed}
	dir, state := snap.World.Directory, snap.World.Live
	var err error
	number := when.Revision
	if when.AsOf != nil {
		if when.AsOf.After(s.now()) {
			return nil, fault.New(fault.Invalid, "when-future", "rehearse a draft instead", "%s is still to come",
				when.AsOf.Format(time.RFC3339))
		}
		if number == 0 {
			if number, err = s.store.RevisionAt(ctx, *when.AsOf); err != nil {
				return nil, err
			}
			if number == 0 {
				return nil, fault.New(fault.Unknown, "when-before", "ask for a later time, or name a revision",
					"nothing was published before %s", when.AsOf.Format(time.RFC3339))
			}
		}
		if dir, err = s.directoryAt(ctx, *when.AsOf); err != nil {
			return nil, err
		}
		if state, err = s.store.Live(ctx, when.AsOf); err != nil {
			return nil, err
		}
	}
	e := snap.World.Estate
	if number != snap.Revision.Number {
		if e, err = s.compiled(ctx, number); err != nil {
			return nil, err
		}
	}
	out.World = lineup.Bind(e, dir, state)
	return out, nil
}

// directoryAt gives the directory as it was.
func (s *Service) directoryAt(ctx context.Context, at time.Time) (*directory.Directory, error) {
	s.before.mu.Lock()
	defer s.before.mu.Unlock() // so that several who ask for the same past read it once
	for _, one := range s.before.list {
		if one.at.Equal(at) {
			return one.directory, nil
		}
	}
	records, version, err := s.store.Directory(ctx, &at)
	if err != nil {
		return nil, err
	}
	d := directory.New(records)
	for _, one := range s.before.list {
		if one.version == version {
			d = one.directory
		}
	}
	s.before.list = slices.Insert(s.before.list, 0, formerDirectory{version, at, d})
	s.before.list = s.before.list[:min(len(s.before.list), 3)]
	return d, nil
}
