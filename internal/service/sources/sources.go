package sources

import (
	"cmp"
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/page"
)

func (s *Room) source(ctx context.Context, called string) (directory.Source, []byte, error) {
	list, sealed, err := s.store.Sources(ctx)
	if err != nil {
		return directory.Source{}, nil, err
	}
	for _, v := range list {
		if v.Name == called {
			return v, sealed[called], nil
		}
	}
	names := make([]string, 0, len(list))
	for _, v := range list {
		names = append(names, v.Name)
	}
	fix := name.DidYouMean(name.Near(called, slices.Values(names), 2), "see cirque directory source list")
	return directory.Source{}, nil, fault.New(fault.Unknown, "source-unknown", fix, "no directory is read as %q", called)
}

// Sources lists the directories that are read, with how they stand.
func (s *Room) Sources(ctx context.Context, p *access.Principal) ([]directory.SourceView, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	list, sealed, err := s.store.Sources(ctx)
	if err != nil {
		return nil, err
	}
	sizes, err := s.store.SourceSizes(ctx)
	if err != nil {
		return nil, err
	}
	latest, err := s.store.LatestRuns(ctx, directory.LatestRuns)
	if err != nil {
		return nil, err
	}
	out := []directory.SourceView{}
	for _, v := range list {
		runs := latest[v.Name]
		view := directory.SourceView{Source: v, HasPassword: sealed[v.Name] != nil, Users: sizes[v.Name]["user"],
			Groups: sizes[v.Name]["group"], Machines: sizes[v.Name]["machine"]}
		if len(runs) > 0 {
			view.Last = &runs[0]
		}
		if !v.Paused {
			at, _ := v.NextRun(runs)
			view.Next = &at
		}
		out = append(out, view)
	}
	return out, nil
}

// TriedSource is a source with a few of what was found in it.
type TriedSource struct {
	Source directory.Source
	Sample []directory.Match
}

// KeepSource tries a source, and keeps it unless only tried: paused when it is new, so that somebody looks before it is
// taken in. password nil leaves the one that is kept.
func (s *Room) KeepSource(ctx context.Context, p *access.Principal, v directory.Source, password *string,
	onlyTry bool) (TriedSource, error) {
	if err := access.Check(p, access.KeepSources); err != nil {
		return TriedSource{}, err
	}
	if !estate.ValidName(v.Name) {
		return TriedSource{}, fault.New(fault.Invalid, "source-name", "write lower-case letters, digits and dashes",
			"%q is no name for a source", v.Name)
	}
	if err := v.Check(); err != nil {
		return TriedSource{}, err
	}
	if s.cfg.Dir == nil {
		return TriedSource{}, fault.New(fault.Unavailable, "no-directories", "start the service with its data directory",
			"this service reads no directories")
	}
	before, sealed, err := s.source(ctx, v.Name)
	known, had := err == nil, sealed
	if err != nil && !fault.Is(err, fault.Unknown) {
		return TriedSource{}, err
	}
	if v.SignIn || known && before.SignIn {
		// Whoever says where passwords are checked says who may come in.
		if err := access.Check(p, access.ManageAccounts); err != nil {
			return TriedSource{}, err
		}
	}
	word := ""
	switch {
	case v.Bind == "":
		sealed = nil
	case password != nil:
		word = *password
	case sealed != nil && v.URL == before.URL && v.StartTLS == before.StartTLS && v.CA == before.CA:
		if word, err = s.cfg.Passwords.SourcePassword(before, sealed); err != nil {
			return TriedSource{}, err
		}
	case sealed != nil:
		return TriedSource{}, fault.New(fault.Invalid, "password-again", "enter it again", "the password of %s is not sent "+
			"to another address than the one for which it was entered", v.Bind)
	}
	if v.Bind != "" && word == "" {
		return TriedSource{}, fault.New(fault.Invalid, "password-missing", "enter the account's password",
			"%s has no password", v.Bind)
	}
	found, err := s.cfg.Dir.TryLDAP(ctx, v, word)
	if f := fault.As(err); f != nil {
		if f.Kind == fault.Denied { // the directory's account is refused, not who asks here
			f.Kind = fault.Invalid
		}
		return TriedSource{}, f
	}
	if v.ListUnder != "" {
		if err := s.cfg.Dir.TryListLDAP(ctx, v, word); err != nil {
			return TriedSource{}, err
		}
	}
	v.Paused = !known || before.Paused
	v.Author, v.At = p.Name, s.now().UTC()
	out := TriedSource{Source: v, Sample: []directory.Match{}}
	for _, e := range found {
		out.Sample = append(out.Sample, directory.Match{Kind: e.Kind, Name: e.Name, Says: e.DisplayName, Detail: e.Unit})
	}
	if onlyTry {
		return out, nil
	}
	var was any
	if known {
		was = before
	}
	if v.Bind != "" && (password != nil || sealed == nil) {
		if sealed, err = s.cfg.Seals.SealSource(v, word); err != nil {
			return out, err
		}
	}
	save := func() error {
		return s.store.SaveSource(ctx, v, sealed, event.Event{Kind: event.SourceKept, Subject: v.Name, Author: p.Name}.Saying(
			"The source {source} of the directory was kept: {url}, from {base} on", "source", v.Name, "url", v.URL, "base",
			v.Base).With(was, v))
	}
	if known && before.ListUnder != "" && (before.ListUnder != v.ListUnder || before.URL != v.URL) {
		return out, s.cfg.Listings.Withdraw(ctx, before, had, save) // from where they were
	}
	return out, save()
}

// PauseSource stops passes over a source, or lets them go on.
func (s *Room) PauseSource(ctx context.Context, p *access.Principal, called string,
	paused bool) (directory.Source, error) {
	if err := access.Check(p, access.KeepSources); err != nil {
		return directory.Source{}, err
	}
	v, sealed, err := s.source(ctx, called)
	if err != nil {
		return v, err
	}
	if v.Paused == paused {
		return v, nil
	}
	v.Paused, v.Author = paused, p.Name
	state := "is paused"
	if !paused {
		state = "is read again"
	}
	return v, s.store.SaveSource(ctx, v, sealed, event.Event{Kind: event.SourceKept, Subject: v.Name,
		Author: p.Name}.Saying(
		"The source {source} of the directory {state}", "source", v.Name, "state", state).With(
		map[string]bool{"paused": !paused}, map[string]bool{"paused": paused}))
}

// RemoveSource forgets a source. What came from it stays unless rows says otherwise; the printer entries that were
// written there are withdrawn unless leave says otherwise.
func (s *Room) RemoveSource(ctx context.Context, p *access.Principal, called string, rows, leave bool) error {
	if err := access.Check(p, access.KeepSources); err != nil {
		return err
	}
	what := "; what came from it stays"
	if rows {
		what = " with all that came from it"
	}
	remove := func() error {
		return s.store.RemoveSource(ctx, called, rows, p.Name, event.Event{Kind: event.SourceGone, Subject: called,
			Author: p.Name}.Saying(
			"The source {source} of the directory was removed{what}", "source", called, "what", what))
	}
	v, sealed, err := s.source(ctx, called)
	if err == nil && v.ListUnder != "" && !leave {
		err = s.cfg.Listings.Withdraw(ctx, v, sealed, remove)
	} else {
		err = remove()
	}
	if err != nil || !rows {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Directory})
	return nil
}

// RunSource asks for a pass over a source: a whole one, one for what has changed, or a dry one. accept has it applied
// whatever disappears.
func (s *Room) RunSource(ctx context.Context, p *access.Principal, called, kind string,
	accept bool) (directory.Run, error) {
	if err := access.Check(p, access.KeepSources); err != nil {
		return directory.Run{}, err
	}
	kind = cmp.Or(kind, directory.RunWhole)
	if kind != directory.RunWhole && kind != directory.RunChanges && kind != directory.RunDry {
		return directory.Run{}, fault.New(fault.Invalid, "run-kind", "write whole, changes or dry",
			"%q is no kind of pass", kind)
	}
	if accept && kind == directory.RunDry {
		return directory.Run{}, fault.New(fault.Invalid, "run-kind", "leave one of the two out",
			"a dry pass applies nothing that could be accepted")
	}
	if _, _, err := s.source(ctx, called); err != nil {
		return directory.Run{}, err
	}
	return s.store.AddRun(ctx, directory.Run{Source: called, Kind: kind, Accept: accept, Author: p.Name,
		Says: "waits to begin"})
}

// StopRun stops the pass over a source that is under way, whichever process reads it.
func (s *Room) StopRun(ctx context.Context, p *access.Principal, called string) error {
	if err := access.Check(p, access.KeepSources); err != nil {
		return err
	}
	return s.store.StopRun(ctx, called, p.Name)
}

// Runs lists the latest passes, of a source or of all.
func (s *Room) Runs(ctx context.Context, p *access.Principal, called string, ask page.Ask,
	word string) (page.Page[directory.Run], error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return page.Page[directory.Run]{}, err
	}
	out, err := s.store.RunsPage(ctx, called, ask, word)
	if err == nil && called != "" && word == "" && out.Total == 0 {
		_, _, err = s.source(ctx, called) // one that was never read, or none at all
	}
	return out, err
}

// Renames lists what the directory calls otherwise than the estate does, until somebody settles it.
func (s *Room) Renames(ctx context.Context, p *access.Principal) ([]directory.Proposal, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, err
	}
	list, err := s.store.Renames(ctx)
	out := []directory.Proposal{}
	w := s.present.View().World
	named := w.Estate.Document().Names()
	for _, r := range list {
		// Else it was settled by whoever changed the estate, or somebody else has the name now.
		if named[r.Kind+":"+name.Fold(r.From)] && !knows(w.Directory, r.Kind, r.From) || named[r.Kind+":"+name.Fold(r.Source+
			"/"+r.From)] {
			out = append(out, r)
		}
	}
	return out, err
}

// TakeRenames puts renames into one's own draft, all where ids is empty. It gives how many objects that changes.
func (s *Room) TakeRenames(ctx context.Context, p *access.Principal, draft string, ids []int64) (int,
	estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return 0, estate.DraftSheet{}, err
	}
	list, err := s.Renames(ctx, p)
	if err != nil {
		return 0, estate.DraftSheet{}, err
	}
	if err := allThere(list, ids); err != nil {
		return 0, estate.DraftSheet{}, err
	}
	var take []directory.Proposal
	for _, r := range list {
		if len(ids) == 0 || slices.Contains(ids, r.ID) {
			take = append(take, r)
		}
	}
	if len(take) == 0 {
		return 0, estate.DraftSheet{}, fault.New(fault.Unknown, "rename-unknown", "see cirque directory renames",
			"there is no such rename to take")
	}
	total := 0
	d, err := s.cfg.Changes.Change(ctx, p, draft, nil, func(d estate.DraftSheet) (*estate.Document, error) {
		doc := d.Document
		for _, r := range take {
			if !knows(s.present.View().World.Directory, r.Kind, r.From) {
				doc, _ = doc.Renamed(r.Kind, r.From, r.To)
			}
			doc, _ = doc.Renamed(r.Kind, r.Source+"/"+r.From, r.Source+"/"+r.To)
		}
		total = len(estate.Changes(d.Document, doc))
		return doc, nil
	})
	return total, d, err
}

// DropRenames takes renames off the list without changing anything.
func (s *Room) DropRenames(ctx context.Context, p *access.Principal, ids []int64) error {
	if err := access.Check(p, access.KeepSources); err != nil {
		return err
	}
	list, err := s.Renames(ctx, p)
	if err == nil {
		err = allThere(list, ids)
	}
	if err != nil {
		return err
	}
	return s.store.SettleRenames(ctx, ids, p.Name)
}

// allThere gives an Unknown fault for the first of some numbers of which no rename is proposed.
func allThere(list []directory.Proposal, ids []int64) error {
	for _, id := range ids {
		if !slices.ContainsFunc(list, func(r directory.Proposal) bool { return r.ID == id }) {
			return fault.New(fault.Unknown, "rename-unknown", "see cirque directory renames", "there is no rename %d", id)
		}
	}
	return nil
}

// knows says whether the directory lists something of a name.
func knows(d *directory.Directory, kind, called string) bool {
	ok := false
	switch kind {
	case "user":
		_, ok = d.User(called)
	case "machine":
		_, ok = d.Machine(called)
	case "group":
		_, ok = d.GroupID(called)
	}
	return ok
}

// estateNames says whether the estate names an object of a source.
func (s *Room) estateNames(source string) func(kind, called string) bool {
	names := s.present.View().Document().Names()
	return func(kind, called string) bool {
		return names[kind+":"+name.Fold(called)] || names[kind+":"+name.Fold(source+"/"+called)]
	}
}
