// Package continuity keeps people printing when servers go: it probes, drains, returns and tests failover. Its use
// cases: Duties, Drain, Return, Moves, Healths, Health, Sets, Set, Outage, and those of failover tests. Its worker
// probes servers and devices, and tends duties and failover tests.
package continuity

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/live"
	"cirque/core/rehearse"
	"cirque/core/server"
	"cirque/core/snapshot"
	"cirque/core/stock"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Prober asks servers and devices over the network. Failures are faults in plain words.
type Prober interface {
	// Alive says whether something answers at all; a refusal in the protocol's own words is an answer.
	Alive(ctx context.Context, uri string) error
}

// A Store is what is needed of the store.
type Store interface {
	AddEvent(ctx context.Context, e event.Event) error
	AddFailoverTest(ctx context.Context, e continuity.FailoverTest, ev event.Event) (continuity.FailoverTest, error)
	Duties(ctx context.Context, at *time.Time) ([]live.Note, error)
	FailoverTest(ctx context.Context, id int64) (continuity.FailoverTest, error)
	FailoverTests(ctx context.Context, open bool, limit int) ([]continuity.FailoverTest, error)
	HealthChanges(ctx context.Context, kind, name string, since time.Time) ([]continuity.Turn, error)
	Healths(ctx context.Context) ([]continuity.Health, error)
	LastOut(ctx context.Context, server string, since time.Time) (live.Note, bool, error)
	Snapshots(ctx context.Context) ([]snapshot.Snapshot, error)
	SaveFailoverTest(ctx context.Context, e continuity.FailoverTest, events []event.Event) error
	SaveHealth(ctx context.Context, list []continuity.Health, changed func(continuity.Health) bool) error
	SetLive(ctx context.Context, n live.Note, only func(was live.Note) bool, e event.Event) (bool, error)
	StopFailoverTest(ctx context.Context, id int64, by string) error
}

// Endpoints are what endpoints reported of the servers to which they lead.
type Endpoints interface {
	LeadingTo(ctx context.Context, server string, limit int) ([]endpoint.Record, error)
}

// Config of a Room.
type Config struct {
	Prober    Prober
	Store     Store
	Endpoints Endpoints
	Present   *present.Present
	Log       *slog.Logger
	Now       func() time.Time
	// Fleet tells where endpoints lead, and which fail.
	Fleet interface {
		Leading(ctx context.Context) (map[string][2]int, error)
		WithFailures(ctx context.Context) ([]*fleet.Judgement, error)
	}
	// Kept gives what agents found on the servers that they keep, by server.
	Kept interface {
		FoundOn(ctx context.Context) (map[string][]server.Found, error)
	}
	// Snapshots says what differs from a snapshot.
	Snapshots interface {
		CompareSnapshots(ctx context.Context, p *access.Principal, before, after, word string,
			limit int) (snapshot.Compared, error)
	}
	// Rehearsals rehearses, for the report alone.
	Rehearsals interface {
		Rehearsed(ctx context.Context, p *access.Principal, what rehearse.Ask) (*rehearse.Report, error)
	}
	// Readings reads a server or device now, and keeps what came of it.
	Readings interface {
		Read(ctx context.Context, l stock.Listed) error
	}
	// Health has servers and devices probed; without it none ever counts as down by itself.
	Health bool
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	now     func() time.Time
	log     *slog.Logger
	present *present.Present
	cfg     Config

	drains chan struct{} // wakes who looks after health, drains and returns
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now,
		drains: make(chan struct{}, 1)}
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	if s.cfg.Prober == nil {
		return nil
	}
	return []worker.Worker{{Name: "health", Leased: true, Run: s.watchHealth}}
}
