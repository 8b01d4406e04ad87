package drafts_test

import (
	"context"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/page"
	"cirque/internal/service/drafts"
	"cirque/internal/testkit/rooms"
)

const base = `
estate: 1
locations: [{path: ard}, {path: bra}]
queues: [{name: hall, location: ard, paths: [{gateway: true}]}, {name: pier, location: bra, paths: [{gateway: true}]}]
grants: [{name: g, effect: place, queues: [hall], to: [everyone]}]
`

// store keeps drafts in memory; published are the documents that were made the next revision.
type store struct {
	*rooms.World
	t         *testing.T
	kept      map[string]estate.Draft
	interfere func()                       // happens once, just before the next draft is kept
	people    map[string]*access.Principal // by owner
	published []string                     // by whom and why
	said      []event.Event
}

func (s *store) Draft(_ context.Context, owner, name string) (estate.Draft, bool, error) {
	d, ok := s.kept[owner+" "+name]
	return d, ok, nil
}

func (s *store) RevisionsPage(context.Context, page.Ask, string) (page.Page[estate.Revision], error) {
	return page.Page[estate.Revision]{}, nil
}

// Past is a matter of the real store.
func (s *store) Past(context.Context, estate.Ref, []string, int) ([]estate.Past, error) {
	return nil, nil
}

// LastChanges looks through all revisions.
func (s *store) LastChanges(ctx context.Context, refs []estate.Ref, upTo int) (map[estate.Ref]estate.Revision, error) {
	out := map[estate.Ref]estate.Revision{}
	for n := 2; n <= upTo; n++ {
		rev, doc, err := s.Revision(ctx, n)
		if err != nil {
			return nil, err
		}
		_, before, err := s.Revision(ctx, n-1)
		if err != nil {
			return nil, err
		}
		for _, r := range refs {
			if !estate.SameObject(r.List, before.Find(r), doc.Find(r)) {
				out[r] = rev
			}
		}
	}
	return out, nil
}

func (s *store) Drafts(context.Context) (out []estate.Draft, err error) {
	for _, d := range s.kept {
		out = append(out, d)
	}
	return out, nil
}

func (s *store) ProposeDraft(_ context.Context, d estate.Draft, why string, _ event.Event) error {
	now := rooms.Start
	d.ProposedAt, d.ProposedWhy = &now, why
	s.kept[d.Owner+" "+d.Name] = d
	return nil
}

func (s *store) DraftByID(_ context.Context, id int64) (estate.Draft, error) {
	for _, d := range s.kept {
		if d.ID == id {
			return d, nil
		}
	}
	return estate.Draft{}, fault.New(fault.Unknown, "draft-unknown", "", "no")
}

func (s *store) SettleDraft(_ context.Context, d estate.Draft, _ event.Event) error {
	d.ProposedAt = nil
	s.kept[d.Owner+" "+d.Name] = d
	return nil
}

func (s *store) SaveDraft(_ context.Context, d estate.Draft) (estate.Draft, error) {
	if f := s.interfere; f != nil {
		s.interfere = nil
		f()
	}
	k := d.Owner + " " + d.Name
	if s.kept[k].Version != d.Version {
		return d, fault.New(fault.Conflict, "draft-moved", "", "moved")
	}
	d.Version++
	if d.ID == 0 {
		d.ID = int64(len(s.kept) + 1)
	}
	d.ProposedAt = nil
	s.kept[k] = d
	return d, nil
}

func (s *store) Publish(ctx context.Context, from *estate.Draft, author, reason string,
	build func(ctx context.Context, current int) (*estate.Document, error)) (estate.Revision, error) {
	now, err := s.CurrentRevision(ctx)
	if err != nil {
		return now, err
	}
	doc, err := build(ctx, now.Number)
	if err != nil {
		return now, err
	}
	text, err := doc.YAML()
	if err != nil {
		return now, err
	}
	s.World.Publish(s.t, string(text))
	if from != nil {
		delete(s.kept, from.Owner+" "+from.Name)
	}
	s.published = append(s.published, author+": "+reason)
	return s.CurrentRevision(ctx)
}

func room(t *testing.T) (*drafts.Room, *store) {
	t.Helper()
	s := &store{World: rooms.New(t, base, directory.Records{}), t: t, kept: map[string]estate.Draft{}}
	r, err := drafts.New(drafts.Config{Store: s, Beside: s, Present: s.Present, Now: s.Now, As: s.as})
	if err != nil {
		t.Fatal(err)
	}
	return r, s
}

func title(name, text string) []estate.Edit {
	return []estate.Edit{{Ref: estate.Ref{List: "queues", Name: name}, Object: []byte(`{"name":"` + name + `","title":"` + text +
		`","location":"` + map[string]string{"hall": "ard", "pier": "bra"}[name] + `","paths":[{"gateway":true}]}`)}}
}

func TestEditAndPublish(t *testing.T) {
	t.Parallel()
	r, s := room(t)
	ctx, mira := t.Context(), rooms.Who(access.Administrator)
	d, err := r.Edit(ctx, mira, "", nil, title("hall", "The hall"))
	if err != nil || len(d.Changes) != 1 || d.Document.Find(estate.Ref{List: "queues", Name: "hall"}).(*estate.Queue).Title != "The hall" {
		t.Fatalf("%+v %v", d.Changes, err)
	}
	if s.Present.View().Document().Queues[0].Title != "" {
		t.Error("a draft shows before it is published")
	}
	old := d.Version - 1
	if _, err := r.Edit(ctx, mira, "", &old, title("pier", "x")); !fault.Is(err, fault.Conflict) {
		t.Error("an edit of a draft that has moved on:", err)
	}
	if _, err := r.PublishDraft(ctx, mira, "", " ", nil); fault.As(err) == nil || fault.As(err).Code != "reason-missing" {
		t.Error("without a reason:", err)
	}
	rev, err := r.PublishDraft(ctx, mira, "", "a name", nil)
	if err != nil || rev.Number != 2 || s.Present.View().Revision.Number != 2 {
		t.Fatal("the publisher does not see it at once:", rev, err)
	}
}

// TestTableOfQueues: a table is told of as a whole, line by line, and tried before it changes anything.
func TestTableOfQueues(t *testing.T) {
	t.Parallel()
	r, s := room(t)
	ctx, mira := t.Context(), rooms.Who(access.Administrator)
	d, err := r.ApplyQueueTable(ctx, mira, "", "q.csv", "name,title\nhall,The hall\n", true)
	if err != nil || len(d.Changes) != 1 || len(s.kept) != 0 {
		t.Errorf("dry: %+v %v, %d kept", d.Changes, err, len(s.kept))
	}
	_, err = r.ApplyQueueTable(ctx, mira, "", "q.csv", "name,title,location,devices\nhall,x,nowhere,gone\nnew one,,,\n"+
		"pier,y,bra,gone\n", false)
	var places []string
	for _, d := range fault.As(err).Details {
		places = append(places, d.Place)
	}
	if got := strings.Join(places, " "); got != "q.csv:2 q.csv:2 q.csv:3 q.csv:4" || len(s.kept) != 0 {
		t.Errorf("%v: %v", got, err)
	}
}

// TestEditsAtOnce: whoever edits at the same time is waited for, and neither is lost.
func TestEditsAtOnce(t *testing.T) {
	t.Parallel()
	r, s := room(t)
	ctx, mira := t.Context(), rooms.Who(access.Administrator)
	s.interfere = func() {
		if _, err := r.Edit(ctx, mira, "", nil, title("pier", "The pier")); err != nil {
			t.Error(err)
		}
	}
	d, err := r.Edit(ctx, mira, "", nil, title("hall", "The hall"))
	if err != nil || len(d.Changes) != 2 {
		t.Errorf("%+v %v", d.Changes, err)
	}
}

// TestConflict: both sides are told, and who published theirs.
func TestConflict(t *testing.T) {
	t.Parallel()
	r, s := room(t)
	ctx, mira := t.Context(), rooms.Who(access.Administrator)
	if _, err := r.Edit(ctx, mira, "", nil, title("hall", "Mine")); err != nil {
		t.Fatal(err)
	}
	s.World.Publish(t, strings.Replace(base, "name: hall,", "name: hall, title: Theirs,", 1))
	if err := s.Present.Refresh(ctx, event.Signal{What: event.Estate}); err != nil {
		t.Fatal(err)
	}
	_, err := r.PublishDraft(ctx, mira, "", "mine", nil)
	f := fault.As(err)
	if f == nil || f.Code != "draft-conflict" || len(f.Details) != 1 || !strings.Contains(f.Details[0].What, `"Mine"`) ||
		!strings.Contains(f.Details[0].What, `mira in revision 2: title "" to "Theirs"`) {
		t.Errorf("%+v", f)
	}
	if _, _, err := r.World(ctx, mira, ""); !fault.Is(err, fault.Conflict) {
		t.Error("a draft that clashes is rehearsed:", err)
	}
}

// TestScope: who looks after one site changes nothing at another.
func TestScope(t *testing.T) {
	t.Parallel()
	r, _ := room(t)
	ctx, site := t.Context(), rooms.Who(access.SiteAdmin, "ard")
	if _, err := r.Edit(ctx, site, "", nil, title("hall", "The hall")); err != nil {
		t.Error("their own:", err)
	}
	if _, err := r.Edit(ctx, site, "", nil, title("pier", "The pier")); !fault.Is(err, fault.Denied) {
		t.Error("another's:", err)
	}
}

func TestPublishIsTheSame(t *testing.T) {
	t.Parallel()
	r, _ := room(t)
	rev, same, err := r.Publish(t.Context(), rooms.Who(access.Administrator), []document.File{{Name: "e", Text: base}}, "again")
	if err != nil || !same || rev.Number != 1 {
		t.Error(rev, same, err)
	}
}
