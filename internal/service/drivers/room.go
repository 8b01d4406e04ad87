// Package drivers holds packages of drivers and hands them to agents. Its use cases: those of packages (AddPackage,
// Packages, Package, RemovePackage, PackageFile), of names (DriversFor, CompareNames, DriverReport, DriversOn,
// Alternatives, PrintResults), and what agents ask for (Ship, ShippedFile, Places).
package drivers

import (
	"context"
	"time"

	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/rehearse"
	"cirque/core/server"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	// BuiltIn gives the names that spoolers bring along, with the places where they do.
	BuiltIn(ctx context.Context) (map[string][]string, error)
	AddPackage(ctx context.Context, p driver.Package, files []driver.File, e event.Event) (known bool, err error)
	Endpoint(ctx context.Context, machine string) (endpoint.Record, error)
	FileChunk(ctx context.Context, sum string, n int) ([]byte, error)
	PackageFiles(ctx context.Context, digest string) ([]driver.Entry, error)
	PrintResults(ctx context.Context, model string) ([]driver.Seen, error)
	RemovePackage(ctx context.Context, digest string, e event.Event) error
}

// Config of a Room.
type Config struct {
	// Kept gives what agents found on the servers that they keep, by server.
	Kept interface {
		FoundOn(ctx context.Context) (map[string][]server.Found, error)
	}
	Store   Store
	Present *present.Present
	Now     func() time.Time
	// Fleet tells how endpoints stand.
	Fleet interface {
		Every(ctx context.Context) (list []*fleet.Judgement, silent []bool, err error)
		WithFailures(ctx context.Context) ([]*fleet.Judgement, error)
	}
	// Cases gives everybody, in the contexts in which endpoints last reported them.
	Cases interface {
		Cases(ctx context.Context, snap *present.View) (*rehearse.Cases, error)
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	now     func() time.Time
	cfg     Config

	wanted wanted
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, now: cfg.Now}
}
