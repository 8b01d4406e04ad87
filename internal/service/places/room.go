// Package places fetches packages of drivers from where they are offered. Its use cases: those of places (Places,
// Place, KeepPlace, LookAt, RemovePlace) and of what is fetched (Fetch, FetchOf, StopFetch). Its worker looks at each
// place once a day, and fetches one archive at a time.
package places

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/access"
	"cirque/core/driver"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Store is what is needed of the store.
type Store interface {
	AddFetch(ctx context.Context, v driver.Fetch, e event.Event) (driver.Fetch, error)
	BeginFetch(ctx context.Context) (*driver.Fetch, error)
	FetchOf(ctx context.Context, place string, id int64) (driver.Fetch, error)
	Fetches(ctx context.Context, place string, most int) ([]driver.Fetch, error)
	LookedInto(ctx context.Context) (map[string]driver.Inside, error)
	Places(ctx context.Context) ([]driver.PlaceView, error)
	RemovePlace(ctx context.Context, name string, e event.Event) error
	SaveFetch(ctx context.Context, v driver.Fetch) (stop bool, err error)
	SaveLook(ctx context.Context, v driver.Place, l driver.Look, events ...event.Event) error
	SavePlace(ctx context.Context, v driver.Place, l driver.Look, e event.Event) error
	StopFetch(ctx context.Context, place string, id int64, e event.Event) error
}

// Ways reach places.
type Ways interface {
	// Look lists what a place offers.
	Look(ctx context.Context, v driver.Place) (driver.Look, error)
	// Archive reads an archive: driver.MaxArchive bytes at most. It tells how far it is, total being 0 where the place
	// does not say.
	Archive(ctx context.Context, v driver.Place, file string, reached func(got, total int64)) ([]byte, error)
}

// Config of a Room.
type Config struct {
	Store   Store
	Ways    Ways // nil where nothing is fetched
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Packages keep what was fetched.
	Packages interface {
		TakePackage(ctx context.Context, author, name, note string, archive []byte, from driver.Archive,
			dry bool) (driver.Package, bool, error)
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store Store
	cfg   Config
}

// New furnishes the room.
func New(cfg Config) *Room { return &Room{store: cfg.Store, cfg: cfg} }

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	if s.cfg.Ways == nil {
		return nil
	}
	return []worker.Worker{{Name: "driver-places", Leased: true, Run: s.work}}
}

// ways are there, unless the service was started without.
func (s *Room) ways() (Ways, error) {
	if s.cfg.Ways == nil {
		return nil, fault.New(fault.Unavailable, "no-places", "start the service with its data directory",
			"this service fetches no drivers")
	}
	return s.cfg.Ways, nil
}

func (s *Room) place(ctx context.Context, name string) (driver.PlaceView, error) {
	list, err := s.store.Places(ctx)
	for _, v := range list {
		if v.Name == name {
			return v, err
		}
	}
	if err == nil {
		err = fault.New(fault.Unknown, "place-unknown", "see cirque driver place list",
			"drivers are fetched from no place %q", name)
	}
	return driver.PlaceView{}, err
}

// judge says how the offers of a place stand to the packages, and takes them out of the view.
func (s *Room) judge(v *driver.PlaceView, into map[string]driver.Inside) []driver.Offered {
	list := driver.Judge(v.Name, v.Look.Offers, s.cfg.Present.Stock().Packages, into)
	v.Look.Offers = nil
	for _, o := range list {
		switch o.State {
		case driver.OfferNew:
			v.New++
		case driver.OfferKept:
			v.Kept++
		default:
			v.Changed++
		}
	}
	return list
}

// Places lists the places, with how many archives they offer; without the archives.
func (s *Room) Places(ctx context.Context, p *access.Principal) ([]driver.PlaceView, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	into, err := s.store.LookedInto(ctx)
	if err != nil {
		return nil, err
	}
	list, err := s.store.Places(ctx)
	for i := range list {
		s.judge(&list[i], into)
		list[i].Look.Problems = nil
	}
	return list, err
}

// latest is how many fetches are shown with a place.
const latest = 20

// Place gives one place, what it offers, and the latest fetches.
func (s *Room) Place(ctx context.Context, p *access.Principal, name string) (v driver.PlaceView, list []driver.Offered,
	err error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return v, nil, err
	}
	if v, err = s.place(ctx, name); err != nil {
		return v, nil, err
	}
	into, err := s.store.LookedInto(ctx)
	if err != nil {
		return v, nil, err
	}
	list = s.judge(&v, into)
	v.Fetches, err = s.store.Fetches(ctx, name, latest)
	return v, list, err
}
