// Package adverts keeps the directory's printer entries equal to the queues that are to be listed there. Its use cases:
// Listings, Printers and RemovePrinter, and Withdraw, which other rooms ask for. Its worker brings directories into
// line whenever something has
// changed.
package adverts

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/advert"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Dir speaks to directories over LDAP.
type Dir interface {
	ListLDAP(ctx context.Context, s directory.Source, password string, entries []advert.Entry, mine []string, claim,
		release func(dn string) error) (advert.Pass, error)
	// FindPrinters looks for printer entries anywhere in a directory, at most so many.
	FindPrinters(ctx context.Context, s directory.Source, password string, seek advert.Seek, most int) ([]advert.Found,
		bool, error)
	RemovePrinter(ctx context.Context, s directory.Source, password, dn string) error
}

// A Store is what is needed of the store.
type Store interface {
	AddEvent(ctx context.Context, e event.Event) error
	ClaimEntry(ctx context.Context, source, dn string) error
	ForgetListing(ctx context.Context, source string) error
	Listed(ctx context.Context, source string) ([]string, error)
	Listings(ctx context.Context) ([]advert.Listing, error)
	ReleaseEntry(ctx context.Context, source, dn string) error
	SaveListing(ctx context.Context, l advert.Listing, events []event.Event) error
	Sources(ctx context.Context) ([]directory.Source, map[string][]byte, error)
}

// Config of a Room.
type Config struct {
	Dir     Dir
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	Runner  *worker.Runner
	// Passwords gives the password with which a source is read.
	Passwords interface {
		SourcePassword(v directory.Source, sealed []byte) (string, error)
	}
	// PublicURL is the address by which others reach this service, such as https://cirque.example:8631.
	PublicURL string
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	now     func() time.Time
	present *present.Present
	log     *slog.Logger
	runner  *worker.Runner
	cfg     Config
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now, runner: cfg.Runner}
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	if s.cfg.Dir == nil {
		return nil
	}
	return []worker.Worker{{Name: "listings", Leased: true, Run: s.listAll}}
}
