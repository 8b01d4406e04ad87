// Package links decides which accounts are one person. Its use cases: Joins, SetJoinRule, SetLead, Join, EndJoin,
// Strangers.
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
	AddJoin(ctx context.Context, j directory.Join, e event.Event) (directory.Join, error)
	EndJoin(ctx context.Context, id int64, author string) error
	SetJoinRule(ctx context.Context, rule string, on bool, e event.Event) (bool, error)
	SetLead(ctx context.Context, source string, e event.Event) error
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
