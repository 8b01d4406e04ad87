// Package snapshots keeps how everything was at a moment, to compare it later. Its use cases: TakePhotograph,
// Photographs, ComparePhotographs, RemovePhotograph.
package snapshots

import (
	"context"
	"time"

	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/photograph"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	AddPhotograph(ctx context.Context, p photograph.Photograph, e event.Event) (photograph.Photograph, error)
	Photograph(ctx context.Context, name string) (photograph.Photograph, error)
	Photographs(ctx context.Context) ([]photograph.Photograph, error)
	RemovePhotograph(ctx context.Context, name string, e event.Event) error
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Now     func() time.Time
	// Fleet tells how endpoints stand.
	Fleet interface {
		Each(ctx context.Context, f func(*fleet.Judgement, endpoint.State) error) error
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	now     func() time.Time
	present *present.Present
	cfg     Config
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, now: cfg.Now}
}
