package lineups

import (
	"context"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/service/present"
)

// Reach says how far a grant of the estate, or of one's own draft, goes.
func (s *Room) Reach(ctx context.Context, p *access.Principal, grant string,
	when present.When) (lineup.Reach, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return lineup.Reach{}, err
	}
	snap, err := s.at(ctx, p, when)
	if err != nil {
		return lineup.Reach{}, err
	}
	return s.reach(ctx, snap.World, grant)
}

// ReachOf says how far a grant would go that is not kept anywhere yet.
func (s *Room) ReachOf(ctx context.Context, p *access.Principal, draft string,
	edit estate.Edit) (lineup.Reach, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return lineup.Reach{}, err
	}
	d, err := s.cfg.Owned.Own(ctx, p, draft)
	if err != nil {
		return lineup.Reach{}, err
	}
	edit.List = "grants"
	changes, err := estate.ParseEdits([]estate.Edit{edit}, d.Document, d.From, s.present.Parsing())
	if err != nil {
		return lineup.Reach{}, err
	}
	doc := d.Document.With(changes)
	if problems := estate.Integrity(doc); len(problems) > 0 {
		return lineup.Reach{}, estate.Incoherent(problems)
	}
	snap := s.present.View()
	w := lineup.Bind(lineup.Compile(doc, 0, s.present.Compiling()), snap.World.Directory, snap.World.Live)
	return s.reach(ctx, w, edit.Name)
}

func (s *Room) reach(ctx context.Context, w *lineup.World, grant string) (lineup.Reach, error) {
	r, ok := w.Reach(grant)
	if !ok {
		return r, fault.New(fault.Unknown, "grant-unknown", "see the grants of the estate",
			"the estate has no grant %q", grant)
	}
	cases, err := s.Cases(ctx, s.present.View())
	if err != nil {
		return r, err
	}
	m := w.Estate.MarkGrants([]string{grant})
	scratch := s.scratch.Get().(*lineup.Scratch)
	defer s.scratch.Put(scratch)
	now := s.now()
	for _, c := range cases.List {
		if !c.Seen {
			continue
		}
		r.OfSeen++
		c.Context.Time = now
		if w.Match(c.Context, m, scratch) {
			r.Seen++
		}
	}
	return r, nil
}
