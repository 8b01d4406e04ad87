// Package adopt adopts what was found into one's own draft: queues of servers and of reference machines, and devices.
// Its use cases: Propose, Adopt, HandIn (an agent's capture), Captures.
package adopt

import (
	"context"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	SaveCapture(ctx context.Context, c stock.Capture, e event.Event) error
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Now     func() time.Time
	// Endpoints gives what an endpoint has told; an Unknown fault where it never has.
	Endpoints interface {
		Endpoint(ctx context.Context, machine string) (endpoint.Record, error)
	}
	// Drafts gives one's own draft.
	Drafts interface {
		Draft(ctx context.Context, p *access.Principal, called string) (estate.DraftSheet, error)
	}
	// Edits changes objects of one's own draft, all or none.
	Edits interface {
		Edit(ctx context.Context, p *access.Principal, called string, version *int64,
			edits []estate.Edit) (estate.DraftSheet, error)
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	now     func() time.Time
	cfg     Config
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, now: cfg.Now}
}
