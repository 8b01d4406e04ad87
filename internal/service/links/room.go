// Package links decides which accounts are one person. Its use cases: Links, SetLinkRule, SetPrimary, Link, RemoveLink,
// Unmatched.
package links

import (
	"context"

	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	AddLink(ctx context.Context, j directory.Link, e event.Event) (directory.Link, error)
	RemoveLink(ctx context.Context, id int64, author string) error
	SetLinkRule(ctx context.Context, rule string, on bool, e event.Event) (bool, error)
	SetPrimary(ctx context.Context, source string, e event.Event) error
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	// Fleet tells under which names people have sessions.
	Fleet interface {
		Unlisted(ctx context.Context, listed func(folded string) bool) (map[string][]*fleet.Judgement, error)
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	cfg     Config
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present}
}
