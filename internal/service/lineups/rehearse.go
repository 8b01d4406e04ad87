package lineups

import (
	"context"
	"crypto/rand"
	"slices"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/findings"
	"cirque/core/lineup"
	"cirque/core/promise"
	"cirque/core/rehearse"
	"cirque/internal/service/present"
)

// A Rehearsal is what came of one; it is kept for a while, so that the effects behind its figures can be looked at.
type Rehearsal struct {
	ID     string
	Report *rehearse.Report
	Down   []string // what was taken to be down

	owner string
	plan  *rehearse.Plan
	part  *rehearse.Part
}

// rehearsals keeps the latest few.
type rehearsals struct {
	mu    sync.Mutex
	list  []*Rehearsal // guarded by mu, as are the rest
	cases *rehearse.Cases
	of    *directory.Directory
	made  time.Time
}

const rehearsalsKept = 12

// casesFresh is for how long the contexts that endpoints reported are not read again.
const casesFresh = 5 * time.Second

// MayRehearse gives the fault that Rehearse would give for want of permission.
func MayRehearse(p *access.Principal) error { return access.Check(p, access.Rehearse) }

// Rehearse compares the present with what would be. progress is called now and then with how many of how many cases are
// done; when ctx ends, so does the work.
func (s *Room) Rehearse(ctx context.Context, p *access.Principal, what rehearse.Ask, progress func(done,
	total int)) (*Rehearsal, error) {
	if err := access.Check(p, access.Rehearse); err != nil {
		return nil, err
	}
	snap := s.present.View()
	to := snap.World
	var err error
	switch {
	case len(what.Files) > 0 || what.Revision > 0:
		doc, err := s.cfg.Documents.Checked(ctx, p, what)
		if err != nil {
			return nil, err
		}
		to = lineup.Bind(lineup.Compile(doc, 0, s.present.Compiling()), to.Directory, to.Live)
	case what.Draft != "" || len(what.Without)+len(what.Moves) == 0:
		if to, _, err = s.cfg.Worlds.World(ctx, p, what.Draft); err != nil {
			return nil, err
		}
	}
	out := &Rehearsal{ID: rand.Text()[:16], owner: p.Owner(), Down: []string{}}
	if len(what.Without) > 0 {
		state, down, err := rehearse.Without(to.Estate.Document(), to.Live, what.Without)
		if err != nil {
			return nil, err
		}
		out.Down = down
		to = lineup.Bind(to.Estate, to.Directory, state)
	}
	if len(what.Moves) > 0 {
		records, err := rehearse.Moved(to.Directory, what.Moves, to.Estate.Document().NamesUnit)
		if err != nil {
			return nil, err
		}
		to = lineup.Bind(to.Estate, directory.New(records), to.Live)
	}
	cases, err := s.Cases(ctx, snap)
	if err != nil {
		return nil, err
	}
	out.plan = rehearse.NewPlan(snap.World, to, cases, s.now().UTC().Truncate(time.Second), what.All)
	var parts []*rehearse.Part
	if err := s.present.Crew.Share(ctx, out.plan.Len(), nil, progress, func() func(from, to int) func() {
		scratch := new(rehearse.Scratch)
		return func(from, to int) func() {
			part := out.plan.Run(from, to, scratch)
			return func() { parts = append(parts, part) }
		}
	}); err != nil {
		return nil, err
	}
	out.part = rehearse.Merge(parts)
	out.Report = out.plan.Report(out.part)
	before, after := s.present.Verdicts(snap.World), s.present.Verdicts(to)
	if to.Estate != snap.World.Estate {
		out.Report.Findings = lineup.NewFindings(s.present.Remarks(snap.World, before, snap.Findings()),
			s.present.Remarks(to, after, findings.Check(to.Estate, to.Directory)))
	}
	out.Report.Promises, out.Report.Broken = len(after), promise.NewlyBroken(before, after)
	s.rehearsals.keep(out)
	return out, nil
}

// Rehearsed is Rehearse for whoever wants the report alone.
func (s *Room) Rehearsed(ctx context.Context, p *access.Principal, what rehearse.Ask) (*rehearse.Report, error) {
	r, err := s.Rehearse(ctx, p, what, nil)
	if err != nil {
		return nil, err
	}
	return r.Report, nil
}

// Cases gives everybody, in the contexts in which endpoints last reported them.
func (s *Room) Cases(ctx context.Context, snap *present.View) (*rehearse.Cases, error) {
	r := &s.rehearsals
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.cases != nil && r.of == snap.World.Directory && s.now().Sub(r.made) < casesFresh {
		return r.cases, nil
	}
	seen, err := s.cfg.Fleet.Contexts(ctx)
	if err != nil {
		return nil, err
	}
	r.cases = rehearse.NewCases(snap.World.Directory, snap.Document().Stations, seen)
	r.of, r.made = snap.World.Directory, s.now()
	return r.cases, nil
}

func (r *rehearsals) keep(one *Rehearsal) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.list = slices.Insert(r.list, 0, one)
	r.list = r.list[:min(len(r.list), rehearsalsKept)]
}

// Effects gives the single contexts behind a figure of one's own rehearsal.
func (s *Room) Effects(_ context.Context, p *access.Principal, id string, f rehearse.Filter, from,
	limit int) ([]rehearse.EffectSheet, int, error) {
	if err := access.Check(p, access.Rehearse); err != nil {
		return nil, 0, err
	}
	s.rehearsals.mu.Lock()
	i := slices.IndexFunc(s.rehearsals.list, func(r *Rehearsal) bool { return r.ID == id && r.owner == p.Owner() })
	var r *Rehearsal
	if i >= 0 {
		r = s.rehearsals.list[i]
	}
	s.rehearsals.mu.Unlock()
	if r == nil {
		return nil, 0, fault.New(fault.Unknown, "rehearsal-unknown", "rehearse again", "the rehearsal is no longer kept here")
	}
	some, total := r.plan.Select(r.part, f, from, limit)
	out := make([]rehearse.EffectSheet, 0, len(some))
	for _, e := range some {
		c := r.plan.Cases[e.Case]
		out = append(out, rehearse.EffectSheet{Kind: c.Kind, Name: c.Name, Context: c.Context.Query(), Location: e.Location,
			Seen: c.Seen, Items: e.Items})
	}
	return out, total, nil
}

// Coverage says on which single servers and devices how many depend.
func (s *Room) Coverage(ctx context.Context, p *access.Principal) ([]rehearse.Dependence, error) {
	if err := access.Check(p, access.Rehearse); err != nil {
		return nil, err
	}
	snap := s.present.View()
	cases, err := s.Cases(ctx, snap)
	if err != nil {
		return nil, err
	}
	now := s.now().UTC()
	var shares []rehearse.Share
	err = s.present.Crew.Share(ctx, len(cases.List), cases.End, nil, func() func(from, to int) func() {
		scratch := new(lineup.Scratch)
		return func(from, to int) func() {
			part := rehearse.Cover(snap.World, cases.List, now, from, to, scratch)
			return func() { shares = append(shares, part) }
		}
	})
	return rehearse.Coverage(shares), err
}
