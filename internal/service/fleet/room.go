// Package fleet takes in what endpoints report, and tells how they are doing. Its use cases: Report, Refresh,
// Endpoints, Endpoint, Overview, Fleet, Talks, Subject, Pace. Its worker notes now and then how the fleet is doing.
package fleet

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Store is what is needed of the store.
type Store interface {
	AddSample(ctx context.Context, f endpoint.Sample) error
	Call(ctx context.Context, machine string, e event.Event) error
	Endpoint(ctx context.Context, machine string) (endpoint.Record, error)
	Endpoints(ctx context.Context) ([]endpoint.Record, error)
	Samples(ctx context.Context, since time.Time) ([]endpoint.Sample, error)
	SaveReport(ctx context.Context, r endpoint.Report, from string, servers []string,
		events []event.Event) (endpoint.Record, error)
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	now     func() time.Time
	log     *slog.Logger
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now}
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "samples", Alone: true, Run: s.noteSamples}}
}
