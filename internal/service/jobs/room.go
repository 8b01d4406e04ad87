// Package jobs sends documents to devices and servers, and tells what waits there. Its use cases: SendTestPage,
// TestStock, WaitingJobs, Act.
package jobs

import (
	"context"
	"io"
	"log/slog"
	"time"

	"cirque/core/access"
	"cirque/core/continuity"
	"cirque/core/event"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// A Printer sends documents over the network.
type Printer interface {
	// Print sends one document and says what was answered; uri is absolute. The fault is Unavailable where another device
	// may be tried.
	Print(ctx context.Context, uri string, d job.Document, body io.Reader) (job.Outcome, error)
}

// A Prober asks servers and devices over the network. Failures are faults in plain words.
type Prober interface {
	ReadJob(ctx context.Context, uri string, key *stock.Key, id int) (stock.Job, error)
	Send(ctx context.Context, uri string, key *stock.Key, d job.Document, body io.Reader) (job.Outcome, error)
	ReadJobs(ctx context.Context, uri string, key *stock.Key, ended bool, limit int) ([]stock.Job, error)
	Act(ctx context.Context, queue string, key *stock.Key, id int, do, to string) error
}

// A Store is what is needed of the store.
type Store interface {
	AddEvent(ctx context.Context, e event.Event) error
	Healths(ctx context.Context) ([]continuity.Health, error)
}

// Config of a Room.
type Config struct {
	Printer Printer
	Prober  Prober
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Reasons explains one queue in one context.
	Reasons interface {
		Why(ctx context.Context, p *access.Principal, q lineup.Query, queue string,
			when present.When) (*lineup.Why, error)
	}
	// Keys opens the keys that are meant for a server or device.
	Keys interface {
		KeysFor(w stock.Watch) []stock.Key
	}
	// Readings reads a server or device now, and keeps what came of it.
	Readings interface {
		Read(ctx context.Context, l stock.Listed) error
	}
	// Keepers have the agent that keeps a server do something with a job.
	Keepers interface {
		Heard(ctx context.Context, called string) (bool, error)
		Do(ctx context.Context, called string, t server.Task, author string) error
	}
	// Tell tells a person something by mail; nil tells nobody.
	Tell interface {
		TellPerson(ctx context.Context, person, subject, says string) error
	}
	// Raster draws lines of text as PWG raster, on a page of so many millimetres.
	Raster func(lines []string, media string, width, height float64) ([]byte, error)
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	now     func() time.Time
	log     *slog.Logger
	cfg     Config
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now}
}
