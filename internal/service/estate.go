package service

import (
	"context"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/internal/service/present"
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
	doc, err := estate.Parse(files, s.present.Parsing())
	if err != nil {
		return Checked{}, err
	}
	return Checked{doc, lineup.Check(lineup.Compile(doc, 0, s.present.Compiling()),
		s.present.View().World.Directory)}, nil
}

// Estate gives a revision's document; number 0 is the current one.
func (s *Service) Estate(ctx context.Context, p *access.Principal, number int) (estate.Revision,
	*estate.Document, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return estate.Revision{}, nil, err
	}
	if snap := s.present.View(); number == 0 || number == snap.Revision.Number {
		return snap.Revision, snap.Document(), nil
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

// Findings remarks on an estate: the current one, another revision or one's own draft.
func (s *Service) Findings(ctx context.Context, p *access.Principal, when present.When) ([]lineup.Finding, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	snap, err := s.at(ctx, p, when)
	if err != nil {
		return nil, err
	}
	if snap.Current() {
		return append(append([]lineup.Finding{}, s.present.Stock().Findings(snap.Document())...), snap.Findings()...), nil
	}
	return snap.Findings(), nil
}
