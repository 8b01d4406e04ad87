package audit

import (
	"context"

	"cirque/core/access"
	"cirque/core/event"
)

// Watch gives notices until stop is called.
func (s *Room) Watch(_ context.Context, p *access.Principal) (<-chan event.Notice, func(), error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, nil, err
	}
	ch, stop := s.present.Hub.Subscribe()
	return ch, stop, nil
}

// Events lists what happened, newest first.
func (s *Room) Events(ctx context.Context, p *access.Principal, before int64, limit int) ([]event.Event, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	return s.store.Events(ctx, before, limit)
}

// MayReadAudit says whether somebody may read the audit, before an answer is begun.
func MayReadAudit(p *access.Principal) error { return access.Check(p, access.ReadAudit) }

// Audit lists changes and sign-ins, newest first.
func (s *Room) Audit(ctx context.Context, p *access.Principal, want event.Filter) ([]event.Event, error) {
	if err := MayReadAudit(p); err != nil {
		return nil, err
	}
	list, err := s.store.Audit(ctx, want)
	if list == nil {
		list = []event.Event{}
	}
	return list, err
}
