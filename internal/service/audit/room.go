// Package audit tells what happened. Its use cases: Events, Audit, Watch, Forwarding. Its workers forget what is
// old, and send the audit to whom the settings name.
package audit

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/event"
	"cirque/core/page"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	Audit(ctx context.Context, want event.Filter, ask page.Ask) (page.Page[event.Event], error)
	ForgetEvents(ctx context.Context, seen, done time.Time, most int) (int64, error)
	// Events gives what happened, newest first; kinds of without are left out.
	Events(ctx context.Context, ask page.Ask, word string, without ...string) (page.Page[event.Event], error)
	AuditAfter(ctx context.Context, after event.Place, most int) ([]event.Event, []event.Place, error)
	Forwarding(ctx context.Context, target string) (event.Forwarding, error)
	Forwarded(ctx context.Context, f event.Forwarding) error
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Sender sends the audit elsewhere; without it nobody does.
	Sender Sender
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	log     *slog.Logger
	now     func() time.Time
	sender  Sender
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now,
		sender: cfg.Sender}
}
