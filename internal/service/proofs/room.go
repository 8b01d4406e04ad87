// Package proofs proves whether a change has arrived, and finds what stands in the way. Its use cases: Proof,
// Unreached, StartCheckup, Checkup, AskedCheckup, AnswerCheckup, TellPrintResult.
package proofs

import (
	"context"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	AddCheckup(ctx context.Context, want endpoint.Checkup, e event.Event) (endpoint.Checkup, error)
	AnswerCheckup(ctx context.Context, id int64, machine, tried string, checks []endpoint.Check) error
	AskedCheckup(ctx context.Context, machine string, since time.Time) (endpoint.Checkup, error)
	Checkup(ctx context.Context, id int64) (endpoint.Checkup, error)
	Endpoint(ctx context.Context, machine string) (endpoint.Record, error)
	EnrolledSilent(ctx context.Context, now time.Time) ([]string, error)
	GoodCertificates(ctx context.Context, machine string) ([]access.Enrolled, error)
	Revision(ctx context.Context, number int) (estate.Revision, *estate.Document, error)
	TellPrintResult(ctx context.Context, id int64, saw driver.Seen, e event.Event) (endpoint.Checkup, error)
	TestPages(ctx context.Context, queue string, since time.Time) ([]endpoint.Checkup, error)
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Now     func() time.Time
	// Fleet tells how endpoints stand.
	Fleet interface {
		Every(ctx context.Context) (list []*fleet.Judgement, silent []bool, err error)
		OfQueue(ctx context.Context, queue string) (list []*fleet.Judgement, silent []bool, all int, err error)
		Reported(ctx context.Context) (of func(folded string) *fleet.Judgement, err error)
	}
	// Queues gives one queue by its name or an old one.
	Queues interface {
		Queue(_ context.Context, p *access.Principal, called string) (lineup.QueueSheet, error)
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	now     func() time.Time
	cfg     Config

	changes struct {
		sync.Mutex
		list []*change // the latest last; guarded by the mutex
	}
	receives receivers
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, now: cfg.Now}
}
