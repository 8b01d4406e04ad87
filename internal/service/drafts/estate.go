package drafts

import (
	"context"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/findings"
	"cirque/core/lineup"
	"cirque/core/page"
	"cirque/core/rehearse"
)

// A CheckOf says what is to be looked at: files, as they are or merged into what is current; else a revision; else
// one's own draft.
type CheckOf struct {
	Files    []document.File
	Merge    bool   // the files add and replace only what they name
	Revision int    // a former revision, as it would be were it current again
	Draft    string // the name of one's own draft
	Brief    bool   // only what would change: nothing is remarked on
}

// Checked is a document that may be published, with what would change by that, and what a careful reader would remark
// on.
type Checked struct {
	Document *estate.Document
	Changes  []estate.Change // of what is current
	Takes    []estate.Taking
	Findings []lineup.Finding
	New      []lineup.Finding // those of them that are not so of what is current
}

// CheckEstate looks what would come of a document, without storing anything.
func (s *Room) CheckEstate(ctx context.Context, p *access.Principal, of CheckOf) (Checked, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return Checked{}, err
	}
	v := s.present.View()
	doc, err := s.checked(ctx, p, v.Document(), of)
	if err != nil {
		return Checked{}, err
	}
	out := Checked{Document: doc, Changes: estate.Changes(v.Document(), doc), Takes: estate.Takes(v.Document(), doc),
		Findings: []lineup.Finding{}, New: []lineup.Finding{}}
	if !of.Brief {
		w := lineup.Bind(lineup.Compile(doc, 0, s.present.Compiling()), v.World.Directory, v.World.Live)
		out.Findings = s.present.Remarks(w, s.present.Verdicts(w), findings.Check(w.Estate, v.World.Directory))
		out.New = lineup.NewFindings(s.present.Remarks(v.World, s.present.Verdicts(v.World), v.Findings()),
			out.Findings)
	}
	return out, nil
}

// Checked gives the estate that is to be rehearsed.
func (s *Room) Checked(ctx context.Context, p *access.Principal, of rehearse.Ask) (*estate.Document, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	return s.checked(ctx, p, s.present.View().Document(), CheckOf{Files: of.Files, Merge: of.Merge, Revision: of.Revision})
}

func (s *Room) checked(ctx context.Context, p *access.Principal, current *estate.Document,
	of CheckOf) (*estate.Document, error) {
	switch {
	case len(of.Files) > 0 && of.Merge:
		return merged(of.Files, current, s.present.Parsing())
	case len(of.Files) > 0:
		return estate.Parse(of.Files, s.present.Parsing())
	case of.Revision > 0:
		return s.present.Past.Document(ctx, of.Revision)
	}
	d, err := s.Draft(ctx, p, of.Draft)
	return d.Document, err
}

// merged adds the objects that files name to a document, in the place of those of that name.
func merged(files []document.File, base *estate.Document, opts estate.Options) (*estate.Document, error) {
	opts.Base = base
	doc, err := estate.Parse(files, opts)
	if err != nil {
		return nil, err
	}
	var changes []estate.Change
	for _, c := range estate.Changes(&estate.Document{}, doc) {
		c.Before = base.Find(c.Ref)
		changes = append(changes, c)
	}
	return base.With(changes), nil
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

// Past gives what each of the latest two hundred revisions did to an object of the estate, newest first. An Unknown
// fault says that neither the estate nor those revisions know it.
func Past(ctx context.Context, s *Room, p *access.Principal, ref estate.Ref) ([]estate.Past, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	v := s.present.View()
	var former []string
	if ref.List == "queues" {
		if q, err := v.Document().QueueCalled(ref.Name); err == nil {
			ref.Name, former = q.Name, q.Formerly
		}
	}
	past, err := s.store.Past(ctx, ref, former, v.Revision.Number)
	if err == nil && len(past) == 0 && v.Document().Find(ref) == nil {
		return nil, fault.New(fault.Unknown, "object-unknown", "see the others of its kind", "the estate has no %s", ref)
	}
	return past, err
}
