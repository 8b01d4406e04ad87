// Package views keeps lists of the console as people narrowed and ordered them, for their own account. Its use cases:
// Views, KeepView, RemoveView.
package views

import (
	"context"
	"strings"

	"cirque/core/access"
	"cirque/core/fault"
)

// A Store is what is needed of the store.
type Store interface {
	// Views gives an account's of one page, or of all where it is empty, by page and name.
	Views(ctx context.Context, account, page string) ([]access.KeptView, error)
	// SaveView keeps one in place of one of its name; a Conflict fault where the account has too many.
	SaveView(ctx context.Context, account string, v access.KeptView) (access.KeptView, error)
	// RemoveView forgets one; an Unknown fault where there is none.
	RemoveView(ctx context.Context, account, page, called string) error
}

// Config of a Room.
type Config struct {
	Store Store
}

// A Room is safe for any number of goroutines.
type Room struct{ store Store }

// New furnishes the room.
func New(cfg Config) *Room { return &Room{store: cfg.Store} }

// Views lists one's own, and what others share, of one page where it is named.
func (s *Room) Views(ctx context.Context, p *access.Principal, page string) ([]access.KeptView, error) {
	if err := check(p); err != nil {
		return nil, err
	}
	list, err := s.store.Views(ctx, p.Account, page)
	if list == nil {
		list = []access.KeptView{}
	}
	return list, err
}

// KeepView keeps one of one's own, in place of one of that name.
func (s *Room) KeepView(ctx context.Context, p *access.Principal, v access.KeptView) (access.KeptView, error) {
	if err := check(p); err != nil {
		return v, err
	}
	if v.Name = strings.TrimSpace(v.Name); v.Name == "" {
		return v, fault.New(fault.Invalid, "view-name", "give it a name", "a view needs a name")
	}
	return s.store.SaveView(ctx, p.Account, v)
}

// RemoveView forgets one of one's own.
func (s *Room) RemoveView(ctx context.Context, p *access.Principal, page, called string) error {
	if err := check(p); err != nil {
		return err
	}
	return s.store.RemoveView(ctx, p.Account, page, called)
}

// check lets accounts alone in: a token that is nobody's own has nobody for whom to keep anything.
func check(p *access.Principal) error {
	if err := access.Check(p, access.OwnViews); err != nil {
		return err
	}
	if p.Account == "" {
		return fault.New(fault.Denied, "no-account", "sign in, or use a token of your own",
			"views are kept for accounts, and this token is nobody's own")
	}
	return nil
}
