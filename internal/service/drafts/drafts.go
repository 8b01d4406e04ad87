package drafts

import (
	"context"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// Draft gives one's own draft; one that nothing has been put into is empty, as it always is for whoever only reads.
func (s *Room) Draft(ctx context.Context, p *access.Principal, called string) (estate.DraftSheet, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return estate.DraftSheet{}, err
	}
	return s.Own(ctx, p, called)
}

// Own gives one's own draft, for whoever has looked at the permission already.
func (s *Room) Own(ctx context.Context, p *access.Principal, called string) (estate.DraftSheet, error) {
	if called == "" {
		called = present.MainDraft
	}
	if !estate.ValidName(called) {
		return estate.DraftSheet{}, fault.New(fault.Invalid, "draft-name", "write lower-case letters, digits and dashes",
			"%q is no name for a draft", called)
	}
	current, err := s.store.CurrentRevision(ctx)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	kept, ok, err := s.store.Draft(ctx, p.Owner(), called)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	if !ok {
		kept = estate.Draft{Owner: p.Owner(), Author: p.Name, Name: called, Base: current.Number}
	}
	return s.sheet(ctx, kept, current.Number)
}

// Other gives anybody's draft by its number, to be looked at.
func (s *Room) Other(ctx context.Context, p *access.Principal, id int64) (estate.DraftSheet, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return estate.DraftSheet{}, err
	}
	kept, err := s.store.DraftByID(ctx, id)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	current, err := s.store.CurrentRevision(ctx)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	return s.sheet(ctx, kept, current.Number)
}

// sheet lays a draft out beside its base and what is current.
func (s *Room) sheet(ctx context.Context, kept estate.Draft, current int) (d estate.DraftSheet, err error) {
	d = estate.DraftSheet{Draft: kept, Current: current}
	if d.From, err = s.present.Past.Document(ctx, d.Base); err != nil {
		return d, err
	}
	if d.Changes, err = kept.Changes(d.From); err != nil {
		return d, err
	}
	d.Document = d.From.With(d.Changes)
	if d.Base != d.Current {
		theirs, err := s.present.Past.Document(ctx, d.Current)
		if err != nil {
			return d, err
		}
		_, d.Conflicts = estate.Merge(d.From, d.Changes, theirs)
	}
	return d, nil
}

// Drafts lists everybody's drafts.
func (s *Room) Drafts(ctx context.Context, p *access.Principal) ([]estate.Draft, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	return s.store.Drafts(ctx)
}

// Edit changes objects of one's own draft, all or none. version is that of the draft that the edits were made on, nil
// for whichever it is: where the draft has moved on meanwhile, a Conflict fault.
func (s *Room) Edit(ctx context.Context, p *access.Principal, called string, version *int64,
	edits []estate.Edit) (estate.DraftSheet, error) {
	return s.Change(ctx, p, called, version, s.edited(edits))
}

// EditOr is Edit; with dry it gives the draft as it would be, and keeps nothing.
func (s *Room) EditOr(ctx context.Context, p *access.Principal, called string, version *int64, edits []estate.Edit,
	dry bool) (estate.DraftSheet, error) {
	if !dry {
		return s.Edit(ctx, p, called, version, edits)
	}
	if err := access.Check(p, access.EditDraft); err != nil {
		return estate.DraftSheet{}, err
	}
	d, err := s.Own(ctx, p, called)
	if err != nil {
		return d, err
	}
	return changed(p, d, s.edited(edits))
}

// edited makes a draft's document with edits.
func (s *Room) edited(edits []estate.Edit) func(estate.DraftSheet) (*estate.Document, error) {
	return func(d estate.DraftSheet) (*estate.Document, error) {
		changes, err := estate.ParseEdits(edits, d.Document, d.From, s.present.Parsing())
		if err != nil {
			return nil, err
		}
		var along []estate.Ref
		for _, e := range edits {
			if e.Remove && e.Along {
				along = append(along, e.Ref)
			}
		}
		doc := d.Document
		if len(along) > 0 {
			if doc, err = doc.Without(along); err != nil {
				return nil, err
			}
		}
		return doc.With(changes), nil
	}
}

// Apply puts files into one's own draft: declaratively, so that the draft then equals them, or merging, so that only
// the objects named are added or replaced.
func (s *Room) Apply(ctx context.Context, p *access.Principal, called string, merge bool,
	files []document.File) (estate.DraftSheet, error) {
	return s.Change(ctx, p, called, nil, func(d estate.DraftSheet) (*estate.Document, error) {
		if !merge {
			return estate.Parse(files, s.present.Parsing())
		}
		return merged(files, d.Document, s.present.Parsing())
	})
}

// Discard throws one's own draft away.
func (s *Room) Discard(ctx context.Context, p *access.Principal, called string) error {
	_, err := s.Change(ctx, p, called, nil, func(d estate.DraftSheet) (*estate.Document, error) { return d.From, nil })
	return err
}

// Change makes a draft equal a document that follows from it. Whoever edits at the same time is waited for.
func (s *Room) Change(ctx context.Context, p *access.Principal, called string, version *int64,
	next func(estate.DraftSheet) (*estate.Document, error)) (estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return estate.DraftSheet{}, err
	}
	for try := 0; ; try++ {
		d, err := s.Own(ctx, p, called)
		if err != nil {
			return d, err
		}
		if err := onDraft(ctx, d); err != nil {
			return d, err
		}
		if version != nil && *version != d.Version {
			return d, moved()
		}
		if d, err = changed(p, d, next); err != nil {
			return d, err
		}
		if d.Kept, err = estate.Keep(d.Changes); err != nil {
			return d, err
		}
		_, err = s.store.SaveDraft(ctx, d.Draft)
		if fault.Is(err, fault.Conflict) && version == nil && try < 20 {
			continue
		}
		if err != nil {
			return d, err
		}
		return s.Own(ctx, p, called)
	}
}

// onDraft refuses what was made on another state of the draft than the present one, where that was to be held to.
func onDraft(ctx context.Context, d estate.DraftSheet) error {
	if held, ok := present.HeldToDraft(ctx); ok && held != (present.DraftState{ID: d.ID, Version: d.Version}) {
		return moved()
	}
	return nil
}

func moved() error {
	return fault.New(fault.Conflict, "draft-moved", "read the draft again, and make the edit once more",
		"the draft was changed meanwhile")
}

// changed gives a draft as it would be, and stores nothing.
func changed(p *access.Principal, d estate.DraftSheet,
	next func(estate.DraftSheet) (*estate.Document, error)) (estate.DraftSheet, error) {
	doc, err := next(d)
	if err != nil {
		return d, err
	}
	if problems := estate.Integrity(doc); len(problems) > 0 {
		return d, estate.Incoherent(problems)
	}
	d.Changes = confined(p, access.EditDraft, d.From, estate.Changes(d.From, doc))
	d.Document = d.From.With(d.Changes)
	return d, access.CheckChanges(p, access.EditDraft, d.From, d.Document, d.Changes)
}

// UndoChange takes one change of the past back, in one's own draft: what a revision did to an object. With dry it gives
// the draft as it would be.
func (s *Room) UndoChange(ctx context.Context, p *access.Principal, called string, revision int, r estate.Ref,
	dry bool) (estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return estate.DraftSheet{}, err
	}
	after, err := s.present.Past.Document(ctx, revision)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	before, err := s.present.Past.Document(ctx, revision-1)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	d, err := s.Own(ctx, p, called)
	if err != nil {
		return d, err
	}
	edit, err := estate.UndoOf(r, before, after, d.Document)
	if err != nil {
		return d, err
	}
	return s.EditOr(ctx, p, called, &d.Version, []estate.Edit{edit}, dry)
}

// Diff compares two revisions; 0 stands for the current one.
func (s *Room) Diff(ctx context.Context, p *access.Principal, from, to int) ([]estate.Change, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	doc := func(n int) (*estate.Document, error) {
		if n == 0 {
			return s.present.View().Document(), nil
		}
		return s.present.Past.Document(ctx, n)
	}
	a, err := doc(from)
	if err != nil {
		return nil, err
	}
	b, err := doc(to)
	if err != nil {
		return nil, err
	}
	return estate.Changes(a, b), nil
}

// Dependents lists what names an object of one's own draft.
func (s *Room) Dependents(ctx context.Context, p *access.Principal, called string,
	r estate.Ref) ([]estate.Ref, error) {
	d, err := s.Draft(ctx, p, called)
	if err != nil {
		return nil, err
	}
	return estate.Dependents(d.Document, r), nil
}

// draftKey names a draft merged with a revision. A draft that was never kept has no id, and its estate is compiled each
// time.
type draftKey struct {
	id, version int64
	on          int
}

const draftsKept = 4

// World gives the world as it would be were the draft published now; a Conflict fault where it could not be.
func (s *Room) World(ctx context.Context, p *access.Principal, called string) (*lineup.World,
	estate.DraftSheet, error) {
	d, err := s.Own(ctx, p, called)
	if err != nil {
		return nil, d, err
	}
	snap := s.present.View()
	now := snap.Document()
	merged, conflicts := estate.Merge(d.From, d.Changes, now)
	if len(conflicts) > 0 {
		f := fault.New(fault.Conflict, "draft-conflict", "see both sides with cirque draft; undo your change, or make it "+
			"again on top of theirs", "the draft clashes with what was published since it began, in %s",
			words.Count(len(conflicts), "object"))
		return nil, d, s.withConflicts(ctx, f, p.Name, snap.Revision.Number, conflicts)
	}
	k := draftKey{d.ID, d.Version, snap.Revision.Number}
	e, ok := s.drafted.Get(k)
	if !ok || d.ID == 0 {
		e = lineup.Compile(merged, 0, s.present.Compiling())
		s.drafted.Add(k, e)
	}
	return lineup.Bind(e, snap.World.Directory, snap.World.Live), d, nil
}
