package test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/notice"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

func publishAt(t *testing.T, c *apiclient.Client, draft string, at time.Time) (d api.Draft, err error) {
	t.Helper()
	err = c.Do(t.Context(), "POST", "/api/v1/draft/publish-at", map[string][]string{"name": {draft}},
		api.PublishAt{PublishDraft: api.PublishDraft{Reason: "in time"}, At: at}, &d)
	return d, err
}

// revision waits until a revision is the one that is answered by: written is a moment earlier than read back.
func (s *aService) revision(number int) estate.Revision {
	s.t.Helper()
	var last api.Estate
	within(s.t, fmt.Sprintf("revision %d is current", number), func() bool {
		var err error
		if last, err = apiclient.Get[api.Estate](s.t.Context(), s.c, "/api/v1/estate", nil); err != nil {
			s.t.Fatal(err)
		}
		return last.Revision.Number >= number
	})
	return last.Revision
}

// TestPublishAt: a draft is published by itself at its time, as it was and merged with what came meanwhile; until then
// it is not edited, main is free, and it can be taken back.
func TestPublishAt(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	s.importDirectory(twoPeople)
	grant := func(name string) estate.Edit {
		return put("grants", name, fmt.Sprintf(`{"name":%q,"effect":"offer","queues":["hall"],"to":["everyone"]}`, name))
	}
	if _, err := publishAt(t, s.c, "", time.Now().Add(time.Hour)); !fault.Is(err, fault.Conflict) {
		t.Errorf("nothing can be published later: %v", err)
	}
	if _, err := edit(t, s.c, "", grant("late")); err != nil {
		t.Fatal(err)
	}
	for _, at := range []time.Time{time.Now().Add(-time.Minute), time.Now().AddDate(2, 0, 0)} {
		if _, err := publishAt(t, s.c, "", at); !fault.Is(err, fault.Invalid) {
			t.Errorf("published at %s: %v", at, err)
		}
	}
	d, err := publishAt(t, s.c, "", time.Now().Add(time.Hour))
	if err != nil || d.Name != fmt.Sprintf("timed-%d", d.ID) || d.Timed.At == nil || d.Total != 1 {
		t.Fatalf("%+v %v", d, err)
	}
	// It waits, and is not edited; main is empty and works.
	if _, err := edit(t, s.c, d.Name, grant("more")); !fault.Is(err, fault.Conflict) ||
		!strings.Contains(err.Error(), "waits to be published") {
		t.Errorf("what waits was edited: %v", err)
	}
	if main, err := edit(t, s.c, "", grant("other")); err != nil || main.Total != 1 {
		t.Errorf("%+v %v", main, err)
	}
	s.calls([]call{
		{"publish waiting", 0, d.Name},
		{fmt.Sprintf("draft other %d", d.ID), 0, "It is published at"},
		{"draft list", 0, "PUBLISHED AT"},
		{fmt.Sprintf("rehearse --draft %s", d.Name), 0, ""},
		{"publish -m now", 0, "Revision 2"},
	}...)
	// Somebody else of all sites may take it back, somebody of one site may not.
	_, secret, err := s.Service.Identity.MakeToken(t.Context(), &access.Principal{Name: "test", Role: access.Owner},
		access.Token{Name: "one", Role: access.SiteAdmin, Sites: []string{"ard"}})
	if err != nil {
		t.Fatal(err)
	}
	one := s.client(secret)
	cancel := func(c *apiclient.Client) (got api.Draft, err error) {
		return got, c.Do(t.Context(), "DELETE", fmt.Sprintf("/api/v1/drafts/%d/publish-at", d.ID), nil, nil, &got)
	}
	if _, err := cancel(one); !fault.Is(err, fault.Denied) {
		t.Errorf("somebody of one site took it back: %v", err)
	}
	other := s.client(s.tokenFor("other", access.Administrator, ""))
	if got, err := cancel(other); err != nil || got.Timed.At != nil || got.Name != "main" || got.Total != 1 {
		t.Errorf("%+v %v", got, err)
	}
	if _, err := cancel(other); !fault.Is(err, fault.Unknown) {
		t.Errorf("taken back twice: %v", err)
	}
	// Its time comes.
	if _, err := publishAt(t, s.c, "", time.Now().Add(300*time.Millisecond)); err != nil {
		t.Fatal(err)
	}
	r := s.revision(3)
	if r.Reason != "in time" || r.Author != d.Author {
		t.Errorf("%+v", r)
	}
	now, err := apiclient.Get[api.Estate](t.Context(), s.c, "/api/v1/estate", nil)
	if err != nil || now.Document.Find(estate.Ref{List: "grants", Name: "late"}) == nil ||
		now.Document.Find(estate.Ref{List: "grants", Name: "other"}) == nil {
		t.Errorf("%+v %v", now, err)
	}
	s.calls([]call{
		{"publish waiting", 0, "Nothing waits"},
		{"publish cancel", 4, "nothing waits"},
		{"location add yard", 0, ""},
		{"publish --at 8h -m yard", 0, "It is published at"},
		{"location add garden --draft other", 0, ""},
		{"publish --at 9h -m garden --draft other", 0, "called other now"},
		{"publish cancel", 2, "2 drafts wait"},
		{"publish cancel other", 0, "It is the draft other"},
		{"publish cancel", 0, "It is the draft main"},
	}...)
}

// faultUntil waits until what is wrong is so.
func (s *aService) faultUntil(so func([]notice.Fault) bool) (list []notice.Fault) {
	s.t.Helper()
	within(s.t, "what is wrong is so", func() bool {
		var err error
		if list, err = apiclient.List[notice.Fault](s.t.Context(), s.c, "/api/v1/faults", nil); err != nil {
			s.t.Fatal(err)
		}
		return so(list)
	})
	return list
}

// TestPublishAtFails: what cannot be published at its time is a draft again, says why, is a fault, and is told to whom
// notices name; by what its owner may then.
func TestPublishAtFails(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	s.importDirectory(twoPeople)
	other := s.client(s.tokenFor("other", access.Administrator, ""))
	title := func(c *apiclient.Client, draft, text string) error {
		_, err := edit(t, c, draft, put("queues", "hall", fmt.Sprintf(`{"name":"hall","title":%q,"devices":["p"],`+
			`"paths":[{"device":"p"}],"location":"ard/hall"}`, text)))
		return err
	}
	if err := title(s.c, "", "One"); err != nil {
		t.Fatal(err)
	}
	d, err := publishAt(t, s.c, "", time.Now().Add(1500*time.Millisecond))
	if err != nil {
		t.Fatal(err)
	}
	if err := title(other, "mine", "Two"); err != nil {
		t.Fatal(err)
	}
	if err := publishDraft(t.Context(), other, "mine"); err != nil {
		t.Fatal(err)
	}
	some := func(list []notice.Fault) bool { return len(list) > 0 }
	got := s.faultUntil(some)
	if len(got) != 1 || got[0].About != estate.AboutDrafts || !strings.Contains(got[0].Says, "clashes") {
		t.Fatalf("%+v", got)
	}
	s.calls([]call{{"publish waiting", 0, "failed"}, {"draft", 0, "It could not be published at its time"},
		{"faults", 0, "could not be published"}}...)
	if err := s.c.Do(t.Context(), "DELETE", "/api/v1/draft", nil, nil, nil); err != nil {
		t.Fatal(err)
	}
	s.faultUntil(func(list []notice.Fault) bool { return len(list) == 0 })
	// Whoever has no account any more publishes nothing.
	s.addAccount("gone", access.Administrator)
	gone := s.as("gone")
	if err := title(gone, "", "Three"); err != nil {
		t.Fatal(err)
	}
	if d, err = publishAt(t, gone, "", time.Now().Add(1500*time.Millisecond)); err != nil {
		t.Fatal(err)
	}
	if err := s.c.Do(t.Context(), "DELETE", "/api/v1/accounts/gone", nil, nil, nil); err != nil {
		t.Fatal(err)
	}
	if got = s.faultUntil(some); len(got) != 1 || !strings.Contains(got[0].Says, "the account gone is not there any "+
		"more") {
		t.Errorf("%+v", got)
	}
	if r := s.revision(2); r.Number != 2 {
		t.Errorf("%+v", r)
	}
	if d.ID == 0 {
		t.Error("it has no number")
	}
}

// TestComments: whoever drafts says something of anybody's draft; it goes along when the draft is taken over, and
// stands with what is published of it.
func TestComments(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	s.importDirectory(twoPeople)
	s.calls([]call{
		{"draft comment hello", 6, "is empty"},
		{"draft comments", 0, "Nothing was said."},
		{"location add yard title=Yard", 0, ""},
		{"draft comment is~the~yard~open? --about location/yard", 0, "It is said"},
		{"draft comment more --about queue/hall", 3, "does not change queue hall"},
		{"draft comment more --about nonsense/hall", 3, "no list"},
		{"draft comments", 0, "of location yard: is the yard open?"},
	}...)
	d, err := apiclient.Get[api.Draft](t.Context(), s.c, "/api/v1/draft", nil)
	if err != nil {
		t.Fatal(err)
	}
	other := s.client(s.tokenFor("other", access.Administrator, ""))
	at := fmt.Sprintf("/api/v1/drafts/%d/comments", d.ID)
	if _, err := apiclient.Post[estate.Comment](t.Context(), other, at, api.Comment{Says: "from May on"}); err != nil {
		t.Fatal(err)
	}
	help := s.client(s.tokenFor("reader", access.HelpDesk, ""))
	if _, err := apiclient.Post[estate.Comment](t.Context(), help, at, api.Comment{Says: "x"}); !fault.Is(err,
		fault.Denied) {
		t.Errorf("the help desk drafts nothing, and said something: %v", err)
	}
	taken, err := apiclient.Post[api.Draft](t.Context(), other, fmt.Sprintf("/api/v1/drafts/%d/take", d.ID), nil)
	if err != nil {
		t.Fatal(err)
	}
	list, err := apiclient.List[estate.Comment](t.Context(), other, fmt.Sprintf("/api/v1/drafts/%d/comments", taken.ID),
		nil)
	if err != nil || len(list) != 2 || list[0].Object != "yard" || list[1].Author != "other" {
		t.Errorf("%+v %v", list, err)
	}
	s.calls([]call{{"publish -m yard", 0, "Revision 2"}, {"draft comments --revision 2", 0, "from May on"},
		{"draft comments --id 99999", 4, "no draft"}, {"draft comments --id 5 --revision 2", 2, "say one of"},
		{"queue set hall purpose=play", 3, "write one of practice, helper"}}...)
	// Who is erased said nothing by name.
	s.calls(call{"history", 0, "yard"})
}
