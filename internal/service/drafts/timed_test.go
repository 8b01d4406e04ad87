package drafts_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/service/drafts"
	"cirque/internal/testkit/rooms"
)

// as knows whoever a test has put there.
func (s *store) as(owner string) (*access.Principal, error) {
	if p := s.people[owner]; p != nil {
		return p, nil
	}
	return nil, fault.New(fault.Denied, "nobody-acting", "", "nobody is %s", owner)
}

func (s *store) TimeDraft(_ context.Context, d estate.Draft, t estate.Timed, main string,
	saying func(string) event.Event) (estate.Draft, error) {
	delete(s.kept, d.Owner+" "+d.Name)
	if d.Name == main {
		d.Name = fmt.Sprintf("timed-%d", d.ID)
	}
	d.Timed = t
	s.kept[d.Owner+" "+d.Name] = d
	s.said = append(s.said, saying(d.Name))
	return d, nil
}

func (s *store) UntimeDraft(_ context.Context, d estate.Draft, failed, main string, e event.Event) (estate.Draft,
	error) {
	delete(s.kept, d.Owner+" "+d.Name)
	if _, taken := s.kept[d.Owner+" "+main]; !taken && d.Name == fmt.Sprintf("timed-%d", d.ID) {
		d.Name = main
	}
	d.Timed = estate.Timed{Failed: failed, Why: d.Timed.Why}
	s.kept[d.Owner+" "+d.Name] = d
	s.said = append(s.said, e)
	return d, nil
}

func (s *store) DueDrafts(_ context.Context, now time.Time) (due []estate.Draft, next *time.Time, _ error) {
	for _, d := range s.kept {
		switch {
		case d.Timed.At == nil:
		case !d.Timed.At.After(now):
			due = append(due, d)
		case next == nil || d.Timed.At.Before(*next):
			next = d.Timed.At
		}
	}
	return due, next, nil
}

func (*store) Comments(context.Context, int64, int) ([]estate.Comment, error) { return nil, nil }

func (*store) AddComment(_ context.Context, _ estate.Draft, c estate.Comment, _ event.Event) (estate.Comment, error) {
	return c, nil
}

func (*store) CopyComments(context.Context, int64, int64) error { return nil }

// TestDue: what waits is published at its very moment, one after the other, by what its owner may then; what is refused
// is an ordinary draft again, with the reason, and is not tried a second time.
func TestDue(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		_, s := room(t)
		start := time.Now()
		now := func() time.Time { return rooms.Start.Add(time.Since(start)) }
		r, err := drafts.New(drafts.Config{Store: s, Beside: s, Present: s.Present, Now: now, As: s.as})
		if err != nil {
			t.Fatal(err)
		}
		root := rooms.Who(access.Administrator)
		root.Name, root.Account = "root", "root"
		s.people = map[string]*access.Principal{"account root": root}
		begin := now()
		at := func(draft, title string, after time.Duration) {
			t.Helper()
			edits := []estate.Edit{{Ref: estate.Ref{List: "queues", Name: "hall"}, Object: fmt.Appendf(nil,
				`{"name":"hall","title":%q,"location":"ard","paths":[{"gateway":true}]}`, title)}}
			if _, err := r.Edit(t.Context(), root, draft, nil, edits); err != nil {
				t.Fatal(err)
			}
			if _, err := drafts.PublishAt(t.Context(), r, root, draft, "as "+title, begin.Add(after), nil); err != nil {
				t.Fatal(err)
			}
		}
		at("one", "One", 90*time.Second)
		at("two", "Two", 20*time.Second) // the first clashes with it, as they are of the same revision
		// works lets the worker work for a while, alone with what is kept.
		works := func(d time.Duration) error {
			ctx, stop := context.WithCancel(t.Context())
			done := make(chan error, 1)
			go func() { done <- (drafts.Publisher{Room: r}).Workers()[0].Run(ctx) }()
			time.Sleep(d)
			synctest.Wait()
			stop()
			return <-done
		}
		runs := func(d time.Duration) {
			t.Helper()
			if err := works(d); err != nil && !errors.Is(err, context.Canceled) {
				t.Error(err)
			}
		}
		revision := func() estate.Revision {
			rev, _, err := s.Current(t.Context())
			if err != nil {
				t.Fatal(err)
			}
			return rev
		}
		runs(20*time.Second - time.Millisecond)
		if rev := revision(); rev.Number != 1 {
			t.Fatalf("too early: %+v", rev)
		}
		runs(2 * time.Millisecond)
		if rev := revision(); rev.Number != 2 || strings.Join(s.published, "") != "root: as Two" {
			t.Fatalf("not at its moment: %+v", rev)
		}
		runs(2 * time.Minute)
		if rev := revision(); rev.Number != 2 {
			t.Fatalf("it clashes, and was published: %+v", rev)
		}
		last := s.said[len(s.said)-1]
		d := s.kept["account root one"]
		if last.Kind != event.DraftFailed || !strings.Contains(d.Timed.Failed, "clashes") || d.Timed.At != nil {
			t.Errorf("%+v, and %+v", last, d.Timed)
		}
		// Whoever is no administrator any more publishes nothing.
		said := len(s.said)
		begin = now()
		at("three", "Three", time.Minute)
		person := rooms.Who(access.Person)
		person.Name, person.Account = "root", "root"
		s.people["account root"] = person
		runs(2 * time.Minute)
		if rev := revision(); rev.Number != 2 || len(s.said) != said+2 || !strings.Contains(
			s.kept["account root three"].Timed.Failed, "may not publish") {
			t.Errorf("%+v, %+v", rev, s.kept)
		}
		// What cannot even be read is told to the log, fails alone, and keeps nothing else from its moment.
		s.people["account root"] = root
		begin = now()
		at("good", "Four", 40*time.Second)
		broken := s.kept["account root good"]
		broken.ID, broken.Name = 99, "broken"
		broken.Kept = []estate.Kept{{Ref: estate.Ref{List: "nonsense", Name: "x"}, Object: []byte("{}")}}
		s.kept["account root broken"] = broken
		if err := works(time.Minute); err == nil || !strings.Contains(err.Error(), "nonsense") {
			t.Errorf("the log is told %v", err)
		}
		runs(time.Second) // the worker is begun again
		if rev := revision(); rev.Number != 3 || !strings.Contains(s.kept["account root broken"].Timed.Failed,
			"the service's log has the cause") {
			t.Errorf("%+v, %+v", rev, s.kept)
		}
	})
}
