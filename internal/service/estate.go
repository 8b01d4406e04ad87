package service

import (
	"bytes"
	"context"
	"encoding/json"
	"strings"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/lineup"
	"cirque/internal/fault"
)

// Checked is a document that may be published, with what a careful reader would remark on.
type Checked struct {
	Document *estate.Document
	Findings []lineup.Finding
}

// CheckEstate reads files as one estate without storing anything.
func (s *Service) CheckEstate(_ context.Context, p *access.Principal, files []document.File) (Checked, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return Checked{}, err
	}
	doc, err := estate.Parse(files, estate.Options{ValidZone: s.cfg.ValidZone})
	if err != nil {
		return Checked{}, err
	}
	return Checked{doc, lineup.Check(lineup.Compile(doc, 0), s.Snapshot().World.Directory)}, nil
}

// Publish makes files the next revision, at once. Publishing what is there already changes nothing, and says so.
func (s *Service) Publish(ctx context.Context, p *access.Principal, files []document.File, reason string) (rev estate.Revision, same bool, err error) {
	if err := access.Check(p, access.Publish); err != nil {
		return rev, false, err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return rev, false, fault.New(fault.Invalid, "reason-missing", "say in a few words why, with -m REASON", "a revision needs a reason")
	}
	doc, err := estate.Parse(files, estate.Options{ValidZone: s.cfg.ValidZone})
	if err != nil {
		return rev, false, err
	}
	current, now, err := s.store.Current(ctx)
	if err != nil {
		return rev, false, err
	}
	if current.Number > 0 && sameDocument(doc, now) {
		return current, true, nil
	}
	rev, err = s.store.Publish(ctx, doc, p.Name, reason)
	if err != nil {
		return rev, false, err
	}
	// The publisher reads its own writing at once; the others hear of it.
	return rev, false, s.refresh(ctx, event.Estate)
}

// sameDocument compares as JSON, the form in which documents are kept: it knows one kind of number.
func sameDocument(a, b *estate.Document) bool {
	x, errX := json.Marshal(a.Sorted())
	y, errY := json.Marshal(b.Sorted())
	return errX == nil && errY == nil && bytes.Equal(x, y)
}

// Estate gives a revision's document; number 0 is the current one.
func (s *Service) Estate(ctx context.Context, p *access.Principal, number int) (estate.Revision, *estate.Document, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return estate.Revision{}, nil, err
	}
	if snap := s.Snapshot(); number == 0 || number == snap.Revision.Number {
		return snap.Revision, snap.World.Estate.Document(), nil
	}
	return s.store.Revision(ctx, number)
}

// Revisions lists revisions, newest first.
func (s *Service) Revisions(ctx context.Context, p *access.Principal, limit int) ([]estate.Revision, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	return s.store.Revisions(ctx, limit)
}

// Findings remarks on the current estate.
func (s *Service) Findings(_ context.Context, p *access.Principal) ([]lineup.Finding, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	w := s.Snapshot().World
	return lineup.Check(w.Estate, w.Directory), nil
}
