// Package sources takes people and machines in from directories and files. Its use cases: Import, Search, those of
// sources (Sources, KeepSource, PauseSource, RemoveSource), of runs (RunSource, StopRun, Runs) and of renames. Its
// worker reads directories when they are due.
package sources

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/page"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Dir speaks to directories over LDAP.
type Dir interface {
	ChangesLDAP(ctx context.Context, s directory.Source, password string, since directory.Mark,
		tell func(read int)) (directory.Pass, error)
	ReadLDAP(ctx context.Context, s directory.Source, password string, tell func(read int)) (directory.Pass, error)
	TryLDAP(ctx context.Context, s directory.Source, password string) ([]directory.Entry, error)
	// TryListLDAP finds out whether printer entries can be written; ListLDAP makes a directory hold exactly the entries,
	// and touches no others than mine and those that it claims.
	TryListLDAP(ctx context.Context, s directory.Source, password string) error
}

// A Store is what is needed of the store.
type Store interface {
	AddRun(ctx context.Context, v directory.Run) (directory.Run, error)
	Import(ctx context.Context, source string, rows []directory.Row, how directory.Taking) (directory.Import, error)
	ImportDelta(ctx context.Context, source string, rows, gone []directory.Row,
		how directory.Taking) (directory.Import, error)
	RemoveSource(ctx context.Context, name string, rows bool, author string, e event.Event) error
	Renames(ctx context.Context) ([]directory.Proposal, error)
	LatestRuns(ctx context.Context, most int) (map[string][]directory.Run, error)
	RunsPage(ctx context.Context, source string, ask page.Ask, word string) (page.Page[directory.Run], error)
	SaveRun(ctx context.Context, v directory.Run, events ...event.Event) (stop bool, err error)
	SaveSource(ctx context.Context, v directory.Source, sealed []byte, e event.Event) error
	SettleRenames(ctx context.Context, ids []int64, author string) error
	SourceSizes(ctx context.Context) (map[string]map[string]int, error)
	Sources(ctx context.Context) ([]directory.Source, map[string][]byte, error)
	StopRun(ctx context.Context, source, author string) error
}

// Config of a Room.
type Config struct {
	Dir     Dir
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Changes makes one's own draft equal a document that follows from it.
	Changes interface {
		Change(ctx context.Context, p *access.Principal, called string, version *int64,
			next func(estate.DraftSheet) (*estate.Document, error)) (estate.DraftSheet, error)
	}
	// Seals seals the password with which a source is read.
	Seals interface {
		SealSource(v directory.Source, word string) ([]byte, error)
	}
	// Passwords gives the password with which a source is read.
	Passwords interface {
		SourcePassword(v directory.Source, sealed []byte) (string, error)
	}
	// Listings takes every entry of Cirque's out of a directory.
	Listings interface {
		Withdraw(ctx context.Context, v directory.Source, sealed []byte, then func() error) error
	}
	// ReadLDIF turns LDIF into records.
	ReadLDIF func(name, text string) (directory.Records, error)
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	now     func() time.Time
	present *present.Present
	log     *slog.Logger
	cfg     Config
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now}
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	if s.cfg.Dir == nil {
		return nil
	}
	return []worker.Worker{{Name: "sources", Leased: true, Run: s.readSources}}
}
