// Package fleet takes in what endpoints report, and tells how they are doing. Its use cases: Report, Refresh,
// Endpoints, Endpoint, Overview, Fleet, Talks, Subject, Pace. It keeps how every
// endpoint was judged last, so that no answer has to judge them all; other rooms ask it for Contexts, Troubled and
// such. Its workers keep that true, and note now and then how the fleet is doing.
package fleet

import (
	"context"
	"log/slog"
	"sync/atomic"
	"time"

	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/lineup"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Store is what is needed of the store.
type Store interface {
	AddSample(ctx context.Context, f endpoint.Sample) error
	Call(ctx context.Context, machine string, e event.Event) error
	Endpoint(ctx context.Context, machine string) (endpoint.Record, error)
	EachEndpoint(ctx context.Context, f func(endpoint.Record) error) error
	EndpointsNamed(ctx context.Context, folded []string) ([]endpoint.Record, error)
	Samples(ctx context.Context, since time.Time) ([]endpoint.Sample, error)
	SaveReport(ctx context.Context, r endpoint.Report, from string, servers []string,
		happens func(before endpoint.Before) []event.Event) (endpoint.Record, error)
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
	keep    keep
	// skew is how far this clock is ahead of the database's, in nanoseconds, as the last report showed.
	skew atomic.Int64
}

// New furnishes the room.
func New(cfg Config) *Room {
	s := &Room{store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now}
	s.keep.scratch.New = func() any { return new(lineup.Scratch) }
	s.keep.listening = make(chan struct{})
	s.keep.news = make(chan struct{}, 1)
	s.keep.foreign.named = map[string]bool{}
	s.present.Also(s.hear)
	return s
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "samples", Leased: true, Run: s.noteSamples}, {Name: "judgements", Run: s.follow}}
}
