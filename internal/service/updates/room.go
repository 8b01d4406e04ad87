// Package updates hands out packages of the agent, and brings endpoints to another version in stages. Its use cases:
// those of packages (AddPackage, Packages, RemovePackage, Chunk), of orders (Begin, Act, Standing, Records), and of
// agents (Tells, Offer, Said). Its worker looks at the order that is under way twice a minute.
package updates

import (
	"cmp"
	"context"
	"log/slog"
	"slices"
	"sync/atomic"
	"time"

	"golang.org/x/sync/semaphore"

	"cirque/core/event"
	"cirque/core/page"
	"cirque/core/update"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Store is what is needed of the store.
type Store interface {
	AddAgentPackage(ctx context.Context, p update.AgentPackage, data []byte, e event.Event) (known bool, err error)
	AgentPackages(ctx context.Context) ([]update.AgentPackage, error)
	AgentPackageChunk(ctx context.Context, digest string, n int) ([]byte, error)
	RemoveAgentPackage(ctx context.Context, digest string, e event.Event) error
	AddUpdate(ctx context.Context, o update.Order, e event.Event) (update.Order, error)
	SaveUpdate(ctx context.Context, from, o update.Order, e event.Event) error
	LastUpdate(ctx context.Context) (*update.Order, error)
	SaveUpdateRecord(ctx context.Context, order int64, r update.Record, events ...event.Event) error
	UpdateRecord(ctx context.Context, order int64, machine string) (*update.Record, error)
	UpdateRecords(ctx context.Context, order int64, state string, silent time.Time,
		ask page.Ask) (page.Page[update.Record], error)
	CountUpdate(ctx context.Context, order int64, since, silent time.Time) (update.Counts, []string, error)
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Fleet counts endpoints by their agents.
	Fleet interface {
		Agents(ctx context.Context) ([]update.Suit, error)
	}
}

// handed is how many parts of packages are handed out at once by a process; each takes a mebibyte.
const handed = 32

// A Room is safe for any number of goroutines.
type Room struct {
	store Store
	cfg   Config
	now   func() time.Time

	order    atomic.Pointer[update.Order]          // the latest; nil where there was none
	packages atomic.Pointer[[]update.AgentPackage] // that are kept
	slots    *semaphore.Weighted
}

// New furnishes the room, and reads what it keeps in memory: whether a machine is told is decided at each of its
// reports.
func New(ctx context.Context, cfg Config) (*Room, error) {
	s := &Room{store: cfg.Store, cfg: cfg, now: cfg.Now, slots: semaphore.NewWeighted(handed)}
	s.packages.Store(&[]update.AgentPackage{})
	cfg.Present.Also(func(ctx context.Context, n event.Signal) error {
		if n.What != event.Updates && n.What != event.Lost {
			return nil
		}
		return s.read(ctx)
	})
	return s, s.read(ctx)
}

func (s *Room) read(ctx context.Context) error {
	o, err := s.store.LastUpdate(ctx)
	if err != nil {
		return err
	}
	list, err := s.store.AgentPackages(ctx)
	if err != nil {
		return err
	}
	slices.SortFunc(list, func(x, y update.AgentPackage) int { // the latest first
		return cmp.Or(update.Compare(y.Version, x.Version), cmp.Compare(x.File, y.File))
	})
	s.order.Store(o)
	s.packages.Store(&list)
	return nil
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "agent-updates", Leased: true, Run: s.work}}
}

// looks is how often it is looked at what came of an order.
const looks = 30 * time.Second

func (s *Room) work(ctx context.Context) error {
	for ctx.Err() == nil {
		if err := s.Look(ctx); err != nil && ctx.Err() == nil {
			return err
		}
		worker.Pause(ctx, looks)
	}
	return nil
}

// Look takes an order that runs a step on, where it is time to, or pauses it.
func (s *Room) Look(ctx context.Context) error {
	o := s.order.Load()
	if o == nil || o.State != update.Running {
		return nil
	}
	now := s.now()
	c, faulty, err := s.count(ctx, *o, now)
	if err != nil {
		return err
	}
	next, changed := o.Next(c, faulty, now)
	if !changed {
		return nil
	}
	e := event.Event{Kind: event.UpdateStage, Subject: o.Version, Author: "Cirque"}.Saying(
		"The update to {version} reaches {share} % of the machines", "version", o.Version, "share", next.Shares[next.Stage])
	if next.State == update.Paused {
		e = event.Event{Kind: event.UpdatePaused, Subject: o.Version, Author: "Cirque"}.Saying(
			"The update to {version} was paused: {reason}", "version", o.Version, "reason", next.Why)
	}
	if err := s.store.SaveUpdate(ctx, *o, next, e.With(o, next)); err != nil {
		return err
	}
	return s.read(ctx)
}

// count counts what came of an order; faults count since it was begun or went on.
func (s *Room) count(ctx context.Context, o update.Order, now time.Time) (update.Counts, []string, error) {
	return s.store.CountUpdate(ctx, o.ID, o.Since(), now.Add(-update.SilentAfter))
}
