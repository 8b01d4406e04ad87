package drafts

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
)

// Propose offers one's own draft, as it is, to whoever may publish it: what reaches beyond somebody's sites is not
// theirs to publish, and need not be lost. The next edit takes that back.
func (s *Room) Propose(ctx context.Context, p *access.Principal, called, reason string) (estate.DraftSheet, error) {
	if err := access.Check(p, access.EditDraft); err != nil {
		return estate.DraftSheet{}, err
	}
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return estate.DraftSheet{}, fault.New(fault.Invalid, "reason-missing", "say in a few words why, with -m REASON",
			"a proposal needs a reason")
	}
	d, err := s.Own(ctx, p, called)
	if err != nil {
		return d, err
	}
	if err := onDraft(ctx, d); err != nil {
		return d, err
	}
	if len(d.Changes) == 0 {
		return d, fault.New(fault.Conflict, "draft-empty", "put something into it: cirque estate apply FILE, or edit in the "+
			"console", "the draft %s changes nothing", d.Name)
	}
	if err := s.store.ProposeDraft(ctx, d.Draft, reason, event.Event{Kind: event.DraftProposed, Subject: d.Name,
		Author: p.Name}.Saying("The draft {name} of {author} was proposed: {reason}", "name", d.Name, "author",
		event.Person(p.Name), "reason", reason)); err != nil {
		return d, err
	}
	return s.Own(ctx, p, called)
}

// Proposals lists the drafts that are proposed, the latest first.
func (s *Room) Proposals(ctx context.Context, p *access.Principal) ([]estate.ProposedDraft, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return nil, err
	}
	list, err := s.store.Drafts(ctx)
	out := []estate.ProposedDraft{}
	for _, d := range list {
		if d.ProposedAt != nil {
			out = append(out, estate.ProposedDraft{ID: d.ID, Author: d.Author, Draft: d.Name, Base: d.Base,
				Reason: d.ProposedWhy, At: *d.ProposedAt})
		}
	}
	return out, err
}

// Take makes somebody's draft, proposed or not, a draft of one's own, to look at, rehearse, change and publish like any
// other: such as where whoever began it is away. The other one stays its owner's, who is told. into names one's own
// draft, which must be empty; proposal-ID or taken-ID when absent.
func (s *Room) Take(ctx context.Context, p *access.Principal, id int64, into string) (estate.DraftSheet, error) {
	d, err := s.decided(ctx, p, id)
	if err != nil {
		return estate.DraftSheet{}, err
	}
	if d.Owner == p.Owner() {
		return estate.DraftSheet{}, fault.New(fault.Conflict, "draft-own", "work on with it: --draft "+d.Name,
			"the draft %s is yours already", d.Name)
	}
	word := "taken"
	if d.ProposedAt != nil {
		word = "proposal"
	}
	called := cmp.Or(into, fmt.Sprintf("%s-%d", word, id))
	own, err := s.Own(ctx, p, called)
	if err != nil {
		return own, err
	}
	if len(own.Changes) > 0 {
		return own, fault.New(fault.Conflict, "draft-taken", "publish or discard it first", "your draft %s is not "+
			"empty", called)
	}
	mine := own.Draft
	mine.Base, mine.Kept = d.Base, d.Kept
	if mine, err = s.store.SaveDraft(ctx, mine); err != nil {
		return own, err
	}
	if err := s.beside.CopyComments(ctx, d.ID, mine.ID); err != nil {
		return own, err
	}
	if err := s.store.SettleDraft(ctx, d, taken(p, d)); err != nil {
		return own, err
	}
	return s.Own(ctx, p, called)
}

func taken(p *access.Principal, d estate.Draft) event.Event {
	e := event.Event{Kind: event.DraftTaken, Subject: d.Name, Author: p.Name}
	if d.ProposedAt != nil {
		return e.Saying("The proposal of {author}, {reason}, was taken over", "author", event.Person(d.Author), "reason",
			d.ProposedWhy)
	}
	return e.Saying("The draft {name} of {author} was taken over", "name", d.Name, "author", event.Person(d.Author))
}

// TakeProposal is Take of a draft that is proposed.
func (s *Room) TakeProposal(ctx context.Context, p *access.Principal, id int64, into string) (estate.DraftSheet,
	error) {
	if _, err := proposed(s.decided(ctx, p, id)); err != nil {
		return estate.DraftSheet{}, err
	}
	return s.Take(ctx, p, id, into)
}

// DeclineProposal says no to a proposed draft, which stays its owner's.
func (s *Room) DeclineProposal(ctx context.Context, p *access.Principal, id int64, reason string) error {
	d, err := proposed(s.decided(ctx, p, id))
	if err != nil {
		return err
	}
	return s.store.SettleDraft(ctx, d, event.Event{Kind: event.DraftDeclined, Subject: d.Name, Author: p.Name}.Saying(
		"The proposal of {author}, {proposed}, was declined: {reason}", "author", event.Person(d.Author), "proposed",
		d.ProposedWhy, "reason", strings.TrimSpace(reason)))
}

// proposed refuses a draft that is not proposed.
func proposed(d estate.Draft, err error) (estate.Draft, error) {
	if err == nil && d.ProposedAt == nil {
		err = fault.New(fault.Unknown, "proposal-unknown", "see cirque draft proposals", "no draft with the number %d is "+
			"proposed now", d.ID)
	}
	return d, err
}

// decided finds somebody's draft for whoever may publish for all sites.
func (s *Room) decided(ctx context.Context, p *access.Principal, id int64) (estate.Draft, error) {
	if err := access.Check(p, access.Publish); err != nil {
		return estate.Draft{}, err
	}
	if !p.MayAt(access.Publish, "") {
		return estate.Draft{}, fault.New(fault.Denied, "not-allowed", "ask an administrator of all sites", "%s may not "+
			"decide on what others have drafted", p.Name)
	}
	return s.store.DraftByID(ctx, id)
}
