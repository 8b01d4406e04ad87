// Package stock knows what servers and devices there are. Its use cases: those of servers (AddServer, Servers,
// ServerSheet, FoundQueues, CompareServers), of devices (AddDevice, Devices, Device, Recognise, FoundDevices,
// ForgetFound, Reservations, ImportReservations), of scans (PlanScan, StartScan, Scans, StopScan), Unregister, ReadNow.
// Its workers read the stock and run scans.
package stock

import (
	"cmp"
	"context"
	"log/slog"
	"net/netip"
	"sync"
	"time"

	"cirque/core/event"
	"cirque/core/stock"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Prober asks servers and devices over the network. Failures are faults in plain words.
type Prober interface {
	ReadDevice(ctx context.Context, uri string, keys []stock.Key) (*stock.Device, error)
	ReadJobs(ctx context.Context, uri string, key *stock.Key, ended bool, limit int) ([]stock.Job, error)
	ReadServer(ctx context.Context, uri string, key *stock.Key, before *stock.Server) (*stock.Server, error)
	TestLine(ctx context.Context, l stock.Line) stock.Line
}

// A Store is what is needed of the store.
type Store interface {
	AddEvent(ctx context.Context, e event.Event) error
	AddScan(ctx context.Context, c stock.Scan, e event.Event) (stock.Scan, error)
	Forget(ctx context.Context, addresses []string, author string) error
	RemoveWatch(ctx context.Context, kind, name string, e event.Event) error
	SaveFound(ctx context.Context, list []stock.Unlisted) error
	SaveReading(ctx context.Context, k stock.Kept, same bool, events []event.Event) error
	SaveScan(ctx context.Context, c stock.Scan) (stop bool, err error)
	SaveWatch(ctx context.Context, w stock.Watch, e event.Event) error
	Scans(ctx context.Context) ([]stock.Scan, error)
	SetReservations(ctx context.Context, list []stock.Reservation, e event.Event) error
	StopScan(ctx context.Context, id int64, author string) error
}

// A DHCP reads and writes a DHCP server's configuration. What lies in no subnet is under the zero prefix.
type DHCP interface {
	Read(text string) ([]stock.RawReservation, error)
	Write(by map[netip.Prefix][]stock.Reservation) (string, error)
}

// Config of a Room.
type Config struct {
	Prober  Prober
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Keys opens the keys that are meant for a server or device.
	Keys interface {
		KeysFor(w stock.Watch) []stock.Key
	}
	// KeyNotes keeps what came of using keys.
	KeyNotes interface {
		NoteKeys(ctx context.Context, keys []stock.Key)
	}
	// DHCP reads and writes what DHCP servers reserve.
	DHCP DHCP
	// ServersEvery and DevicesEvery are how often the stock is read.
	ServersEvery, DevicesEvery time.Duration
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	log     *slog.Logger
	now     func() time.Time
	cfg     Config

	scans   chan scanning
	reading sync.Map // of *sync.Mutex, by kind and name of what is read
}

// New furnishes the room.
func New(cfg Config) *Room {
	cfg.ServersEvery, cfg.DevicesEvery = cmp.Or(cfg.ServersEvery, ServersEvery), cmp.Or(cfg.DevicesEvery, DevicesEvery)
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now,
		scans: make(chan scanning, 1)}
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	list := []worker.Worker{{Name: "scans", Run: s.runScans}}
	if s.cfg.Prober != nil {
		list = append(list, worker.Worker{Name: "stock", Leased: true, Run: s.readAll})
	}
	return list
}
