package drafts

import (
	"context"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// Beside is what is needed of the store for drafts that wait for their moment, and for what is said of drafts.
type Beside interface {
	TimeDraft(ctx context.Context, d estate.Draft, t estate.Timed, main string,
		saying func(called string) event.Event) (estate.Draft, error)
	UntimeDraft(ctx context.Context, d estate.Draft, failed, main string, e event.Event) (estate.Draft, error)
	DueDrafts(ctx context.Context, now time.Time) (due []estate.Draft, next *time.Time, err error)
	Comments(ctx context.Context, draft int64, revision int) ([]estate.Comment, error)
	AddComment(ctx context.Context, d estate.Draft, c estate.Comment, e event.Event) (estate.Comment, error)
	CopyComments(ctx context.Context, from, to int64) error
}

// latest is how far ahead a draft can be published.
const latest = 366 * 24 * time.Hour

// PublishAt has one's own draft, as it is, wait for a moment at which it is published by itself. All that publishing it
// now would be refused for is refused now, and looked at again then. One's draft main is empty again afterwards.
func PublishAt(ctx context.Context, s *Room, p *access.Principal, called, reason string, at time.Time,
	version *int64) (estate.DraftSheet, error) {
	reason, err := publishing(p, reason)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	now := s.now()
	if !at.After(now) || at.After(now.Add(latest)) {
		return estate.DraftSheet{}, fault.New(fault.Invalid, "publish-when", "say a moment of the coming year, or "+
			"publish it "+
			"now", "%s is not in the coming year", at.UTC().Format("2006-01-02 15:04 UTC"))
	}
	d, err := publishable(ctx, s, p, called, version)
	if err != nil {
		return d, err
	}
	changes := confined(p, access.Publish, d.From, d.Changes)
	if err := s.mayPublish(ctx, p, d.From, d.From.With(changes), changes); err != nil {
		return d, err
	}
	if _, err := next(ctx, s, p, d.From, changes, d.Current); err != nil {
		return d, err
	}
	if d.Draft, err = s.beside.TimeDraft(ctx, d.Draft, estate.Timed{At: &at, Why: reason,
		Breaks: present.BreaksPromises(ctx)}, present.MainDraft, func(called string) event.Event {
		return event.Event{Kind: event.DraftTimed, Subject: called, Author: p.Name}.Saying("The draft {name} of {author} is "+
			"published at {at}: {reason}", "name", called, "author", event.Person(p.Name), "at", at.UTC().Format(time.RFC3339),
			"reason", reason)
	}); err != nil {
		return d, err
	}
	return s.sheet(ctx, d.Draft, d.Current)
}

// KeepBack has a draft that waits for its moment be an ordinary one again: one's own, or anybody's for whoever may
// publish for all sites. It stays its owner's.
func KeepBack(ctx context.Context, s *Room, p *access.Principal, id int64) (estate.DraftSheet, error) {
	if err := access.Check(p, access.Publish); err != nil {
		return estate.DraftSheet{}, err
	}
	d, err := s.store.DraftByID(ctx, id)
	if err != nil && !fault.Is(err, fault.Unknown) {
		return estate.DraftSheet{}, err
	}
	if err != nil || d.Owner != p.Owner() { // what is not there is no one's own
		if d, err = s.decided(ctx, p, id); err != nil {
			return estate.DraftSheet{}, err
		}
	}
	if d, err = s.beside.UntimeDraft(ctx, d, "", present.MainDraft, event.Event{Kind: event.DraftUntimed, Subject: d.Name,
		Author: p.Name}.Saying("The draft {name} of {author} is not published at its time", "name", d.Name, "author",
		event.Person(d.Author))); err != nil {
		return estate.DraftSheet{}, err
	}
	current, err := s.store.CurrentRevision(ctx)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	return s.sheet(ctx, d, current.Number)
}

// A Publisher publishes what waits for its moment.
type Publisher struct{ *Room }

// Workers publish what waits for its moment.
func (s Publisher) Workers() []worker.Worker {
	return []worker.Worker{{Name: "publishing", Leased: true, Run: s.publishDue}}
}

// dueEvery is how often it is looked whether somebody has put a draft in front of the next; one whose moment is known
// is published at it.
const dueEvery = 2 * time.Second

func (s Publisher) publishDue(ctx context.Context) error {
	for ctx.Err() == nil {
		due, next, err := s.beside.DueDrafts(ctx, s.now())
		if err != nil {
			return err
		}
		for _, d := range due {
			if err := s.publishOne(ctx, d.ID); err != nil {
				return err
			}
		}
		wait := dueEvery
		if next != nil {
			wait = min(wait, max(next.Sub(s.now()), time.Millisecond))
		}
		worker.Pause(ctx, wait)
	}
	return nil
}

// publishOne publishes a draft as whoever had it wait, by what they may now. What it is refused for is kept with it:
// its owner mends it, and no time comes by itself again. The error is one of the store.
func (s Publisher) publishOne(ctx context.Context, id int64) error {
	d, err := s.store.DraftByID(ctx, id)
	if fault.Is(err, fault.Unknown) {
		return nil // published or discarded meanwhile
	}
	if err != nil || d.Timed.At == nil { // taken back meanwhile
		return err
	}
	failed := s.publishAs(ctx, d)
	if failed == nil || ctx.Err() != nil || fault.Is(failed, fault.Unavailable) {
		return failed // it is tried again
	}
	f := fault.As(failed)
	_, err = s.beside.UntimeDraft(ctx, d, f.What+"; "+f.Fix, present.MainDraft, event.Event{Kind: event.DraftFailed,
		Subject: d.Name, Author: d.Author}.Saying("The draft {name} of {author} could not be published at its time: {why}",
		"name", d.Name, "author", event.Person(d.Author), "why", f.What))
	switch {
	case fault.Is(err, fault.Unknown):
		return nil // somebody has taken it back meanwhile
	case err == nil && f.Kind == fault.Internal:
		return failed // for the log, which its reason leads to
	}
	return err
}

func (s Publisher) publishAs(ctx context.Context, d estate.Draft) error {
	p, err := s.as(d.Owner)
	if err != nil {
		return err
	}
	if d.Timed.Breaks {
		ctx = present.BreakingPromises(ctx)
	}
	if _, err := publishing(p, d.Timed.Why); err != nil {
		return err
	}
	current, err := s.store.CurrentRevision(ctx)
	if err != nil {
		return err
	}
	sheet, err := s.sheet(ctx, d, current.Number)
	if err != nil {
		return err
	}
	_, err = s.publish(ctx, p, &d, d.Timed.Why, sheet.From, confined(p, access.Publish, sheet.From, sheet.Changes))
	return err
}

// Comments gives what was said of a draft.
func Comments(ctx context.Context, s *Room, p *access.Principal, id int64) ([]estate.Comment, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	if _, err := s.store.DraftByID(ctx, id); err != nil {
		return nil, err
	}
	return s.beside.Comments(ctx, id, 0)
}

// CommentsOfRevision gives what was said of the draft that a revision was published from.
func CommentsOfRevision(ctx context.Context, s *Room, p *access.Principal, number int) ([]estate.Comment, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	return s.beside.Comments(ctx, 0, number)
}

// Comment says something of anybody's draft, or of one object that it changes. Who may draft may say.
func Comment(ctx context.Context, s *Room, p *access.Principal, id int64, c estate.Comment) (estate.Comment, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return c, err
	}
	d, err := s.Other(ctx, p, id)
	if err != nil {
		return c, err
	}
	about := estate.Ref{List: c.List, Name: c.Object}
	if about != (estate.Ref{}) && !slices.ContainsFunc(d.Changes, func(x estate.Change) bool { return x.Ref == about }) {
		return c, fault.New(fault.Invalid, "comment-about", "see what it changes: cirque draft other "+d.Author,
			"the draft %s of %s does not change %s", d.Name, d.Author, about)
	}
	c.Author = p.Name
	// What it says stands with the draft alone: whoever is erased later is not to stand in the audit.
	return s.beside.AddComment(ctx, d.Draft, c, event.Event{Kind: event.DraftTalked, Subject: d.Name,
		Author: p.Name}.Saying(
		"Something was said of the draft {name} of {author}", "name", d.Name, "author", event.Person(d.Author)))
}
