package drafts

import (
	"context"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/page"
)

// Checked is a document that may be published, with what a careful reader would remark on.
type Checked struct {
	Document *estate.Document
	Findings []lineup.Finding
}

// CheckEstate reads files as one estate without storing anything.
func (s *Room) CheckEstate(_ context.Context, p *access.Principal, files []document.File) (Checked, error) {
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
func (s *Room) Estate(ctx context.Context, p *access.Principal, number int) (estate.Revision,
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
func (s *Room) Revisions(ctx context.Context, p *access.Principal, ask page.Ask,
	word string) (page.Page[estate.Revision], error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return page.Page[estate.Revision]{}, err
	}
	return s.store.RevisionsPage(ctx, ask, word)
}
