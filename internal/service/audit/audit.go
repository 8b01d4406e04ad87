package audit

import (
	"context"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/page"
	"cirque/internal/service/present"
)

// Watch gives notices until its Stop is called, and those that were missed after the one of an ID.
func (s *Room) Watch(_ context.Context, p *access.Principal, after string) (present.Subscription, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return present.Subscription{}, err
	}
	return s.present.Hub.SubscribeAfter(after), nil
}

// Events gives what happened, newest first; without routine what happens every day and asks nothing is left out.
func (s *Room) Events(ctx context.Context, p *access.Principal, ask page.Ask,
	word string, routine bool) (page.Page[event.Event], error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return page.Page[event.Event]{}, err
	}
	if routine {
		return s.store.Events(ctx, ask, word)
	}
	return s.store.Events(ctx, ask, word, event.Routine()...)
}

// MayReadAudit says whether somebody may read the audit, before an answer is begun.
func MayReadAudit(p *access.Principal) error { return access.Check(p, access.ReadAudit) }

// Audit gives changes and sign-ins, newest first.
func (s *Room) Audit(ctx context.Context, p *access.Principal, want event.Filter,
	ask page.Ask) (page.Page[event.Event], error) {
	if err := MayReadAudit(p); err != nil {
		return page.Page[event.Event]{}, err
	}
	return s.store.Audit(ctx, want, ask)
}
