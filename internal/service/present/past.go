package present

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/findings"
	"cirque/core/lineup"
)

// Past gives former views, and keeps the few that were asked for last.
type Past struct {
	of *Present

	compiled *lru.Cache[int, *lineup.Estate] // by revision

	mu     sync.Mutex       // held while a directory is read, so that several who ask for the same past read it once
	people []formerlyPeople // guarded by mu
}

// How many former estates and directories are kept.
const (
	pastEstates     = 8
	pastDirectories = 3
)

type formerlyPeople struct {
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

// MainDraft is the draft of somebody who has named none.
const MainDraft = "main"

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

// Compiled gives a former revision's estate.
func (p *Past) Compiled(ctx context.Context, revision int) (*lineup.Estate, error) {
	if e, ok := p.compiled.Get(revision); ok {
		return e, nil
	}
	_, doc, err := p.of.cfg.Decided.Revision(ctx, revision)
	if err != nil {
		return nil, err
	}
	e := lineup.Compile(doc, revision, p.of.Compiling())
	p.compiled.Add(revision, e)
	return e, nil
}

// Document gives a revision's document, from memory where it is there; revision 0 is the empty one.
func (p *Past) Document(ctx context.Context, revision int) (*estate.Document, error) {
	if revision == 0 {
		return &estate.Document{Estate: estate.Version}, nil
	}
	if v := p.of.View(); revision == v.Revision.Number {
		return v.Document(), nil
	}
	e, err := p.Compiled(ctx, revision)
	if err != nil {
		return nil, err
	}
	return e.Document(), nil
}

// At gives the view of another time; a When that names a draft is not for here.
func (p *Past) At(ctx context.Context, who *access.Principal, when When) (*View, error) {
	v := p.of.View()
	if when.AsOf == nil && (when.Revision == 0 || when.Revision == v.Revision.Number) {
		return v, nil
	}
	if err := access.Check(who, access.ReadEstate); err != nil {
		return nil, err
	}
	out := &View{Revision: v.Revision, DirectoryVersion: v.DirectoryVersion, changed: v.changed}
	dir, state := v.World.Directory, v.World.Live
	var err error
	number := when.Revision
	if when.AsOf != nil {
		if when.AsOf.After(p.of.cfg.Now()) {
			return nil, fault.New(fault.Invalid, "when-future", "rehearse a draft instead",
				"%s is still to come", when.AsOf.Format(time.RFC3339))
		}
		if number == 0 {
			if number, err = p.of.cfg.Decided.RevisionAt(ctx, *when.AsOf); err != nil {
				return nil, err
			}
			if number == 0 {
				return nil, fault.New(fault.Unknown, "when-before", "ask for a later time, or name a revision",
					"nothing was published before %s", when.AsOf.Format(time.RFC3339))
			}
		}
		if dir, err = p.directoryAt(ctx, *when.AsOf); err != nil {
			return nil, err
		}
		if state, err = p.of.cfg.Decided.Live(ctx, when.AsOf); err != nil {
			return nil, err
		}
	}
	e := v.World.Estate
	if number != v.Revision.Number {
		if e, err = p.Compiled(ctx, number); err != nil {
			return nil, err
		}
	}
	out.World = lineup.Bind(e, dir, state)
	out.findings = func() []lineup.Finding { return findings.Check(e, dir) }
	return out, nil
}

// With gives the present view with another world in it, such as that of a draft.
func (v *View) With(w *lineup.World) *View {
	return &View{World: w, DirectoryVersion: v.DirectoryVersion, changed: v.changed,
		findings: func() []lineup.Finding { return findings.Check(w.Estate, w.Directory) }}
}

// directoryAt gives the directory as it was.
func (p *Past) directoryAt(ctx context.Context, at time.Time) (*directory.Directory, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, one := range p.people {
		if one.at.Equal(at) {
			return one.directory, nil
		}
	}
	records, version, err := p.of.cfg.Decided.Directory(ctx, &at)
	if err != nil {
		return nil, err
	}
	d := directory.New(records)
	for _, one := range p.people {
		if one.version == version {
			d = one.directory
		}
	}
	p.people = slices.Insert(p.people, 0, formerlyPeople{version, at, d})
	p.people = p.people[:min(len(p.people), pastDirectories)]
	return d, nil
}
