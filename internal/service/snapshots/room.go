// Package snapshots keeps how everything was at a moment, to compare it later. Its use cases: TakeSnapshot,
// Snapshots, CompareSnapshots, RemoveSnapshot.
package snapshots

import (
	"context"
	"time"

	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/snapshot"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	AddSnapshot(ctx context.Context, p snapshot.Snapshot, e event.Event) (snapshot.Snapshot, error)
	Snapshot(ctx context.Context, name string) (snapshot.Snapshot, error)
	Snapshots(ctx context.Context) ([]snapshot.Snapshot, error)
	RemoveSnapshot(ctx context.Context, name string, e event.Event) error
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Now     func() time.Time
	// Fleet tells how endpoints stand.
	Fleet interface {
		Every(ctx context.Context) (list []*fleet.Judgement, silent []bool, err error)
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
