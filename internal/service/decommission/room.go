// Package decommission leads queues away from a server until nothing depends on it. Its use cases: Depends, MoveQueues,
// EndServer, Orphans. Its worker reads now and then who printed through which server, and keeps that.
package decommission

import (
	"context"
	"time"

	"cirque/core/access"
	"cirque/core/decommission"
	"cirque/core/estate"
	"cirque/core/rehearse"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// A Prober asks servers and devices over the network. Failures are faults in plain words.
type Prober interface {
	ReadJobs(ctx context.Context, uri string, key *stock.Key, ended bool, limit int) ([]stock.Job, error)
}

// Uses keep who printed through which server.
type Uses interface {
	Uses(ctx context.Context, server string, most int) ([]decommission.Use, decommission.Known, error)
	LastUses(ctx context.Context, server string) (map[[3]string]time.Time, error)
	KeepUses(ctx context.Context, server string, list []decommission.Use,
		next func(decommission.Known) decommission.Known) error
}

// Config of a Room.
type Config struct {
	Uses    Uses
	Prober  Prober
	Present *present.Present
	Now     func() time.Time
	// Drafts gives one's own draft.
	Drafts interface {
		Draft(ctx context.Context, p *access.Principal, called string) (estate.DraftSheet, error)
	}
	// Edits changes objects of one's own draft, all or none.
	Edits interface {
		Edit(ctx context.Context, p *access.Principal, called string, version *int64,
			edits []estate.Edit) (estate.DraftSheet, error)
	}
	// Rehearsals rehearses, for the report alone.
	Rehearsals interface {
		Rehearsed(ctx context.Context, p *access.Principal, what rehearse.Ask) (*rehearse.Report, error)
	}
	// Fleet says what endpoints lead to.
	Fleet interface {
		Led(ctx context.Context, server string) (map[string]int, error)
	}
	// Keys opens the keys that are meant for a server or device.
	Keys interface {
		KeysFor(w stock.Watch) []stock.Key
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	present *present.Present
	cfg     Config
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, present: cfg.Present}
}
