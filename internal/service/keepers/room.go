// Package keepers has print servers be kept by the agents on them. Its use cases: those of agents (Serving,
// WaitServing, Report) and those of whoever looks after servers (Kept, Sheet, Why, Take, Leave, Forget).
package keepers

import (
	"context"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	KeeperVersions(ctx context.Context) (map[string]string, error)
	KeepersOf(ctx context.Context, machines []string) (map[string]server.Versioned, error)
	SaveKept(ctx context.Context, r server.Report, happens func(failing *bool) []event.Event) error
	RemoveKeeper(ctx context.Context, machine string, e event.Event) error
	AddTask(ctx context.Context, called, machine string, t server.Task, author string) (id int64, err error)
	Tasks(ctx context.Context, called string) ([]server.Task, error)
	TaskDone(ctx context.Context, id int64) (*server.Done, error)
	Takes(ctx context.Context, called string) ([]string, error)
	Take(ctx context.Context, called, machine string, queues []string, author string, events ...event.Event) error
	Leave(ctx context.Context, called, machine, queue string, events ...event.Event) error
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Now     func() time.Time
	// Zone gives a time zone by its IANA name, nil for an unknown one.
	Zone func(string) *time.Location
	// Uses keep who printed through which server.
	Uses interface {
		Count(ctx context.Context, server string, jobs []stock.Job) error
	}
	// Readings reads a server now, and keeps what came of it.
	Readings interface {
		Read(ctx context.Context, l stock.Listed) error
	}
	// Certificates say whether an agent is let in still.
	Certificates interface{ CertificateGood(serial string) bool }
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	cfg     Config
	present *present.Present

	reread chan string // servers to be read

	mu      sync.Mutex
	planner *server.Planner // of doc and dir. Guarded by mu, as are the rest.
	doc     *estate.Document
	dir     *directory.Directory
	plans   map[string]planned          // by server
	said    map[string]server.Versioned // by machine, folded
}

// planned is what a server is to have.
type planned struct {
	plan server.Plan
	at   time.Time
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{store: cfg.Store, cfg: cfg, present: cfg.Present, reread: make(chan string, 64),
		plans: map[string]planned{}}
}

// planFresh is for how long a plan holds in one world: queues end by date.
const planFresh = time.Minute

// plan works out what a server is to have in a view, once for each estate and directory.
func (s *Room) plan(v *present.View, called string) server.Plan {
	now, doc, dir := s.cfg.Now(), v.Document(), v.World.Directory
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.doc != doc || s.dir != dir {
		if !v.Current() { // the next asks of another already
			return server.Wanted(doc, dir, called, now, s.cfg.Zone)
		}
		s.planner, s.doc, s.dir, s.plans = server.NewPlanner(doc, dir), doc, dir, map[string]planned{}
	}
	had, ok := s.plans[called]
	if ok && now.Sub(had.at) < planFresh && !now.Before(had.at) {
		return had.plan
	}
	p := s.planner.Wanted(called, now, s.cfg.Zone)
	s.plans[called] = planned{p, now}
	return p
}

// withPackages says of each driver which package has it now; wants are the caller's own.
func withPackages(wants []server.Want, packages []driver.Package, platform string) []server.Want {
	out := make([]server.Want, len(wants))
	digests := map[string]string{}
	for i, w := range wants {
		if w.Exact != "" {
			d, known := digests[w.Exact]
			if !known {
				if of, _, ok := driver.Best(packages, w.Exact, platform); ok {
					d = of.Digest
				}
				digests[w.Exact] = d
			}
			w.Package = d
		}
		out[i] = w
	}
	return out
}

// server finds a server that is kept; an Unknown fault where the estate has none of that name, a Conflict fault where
// it is not kept.
func (s *Room) server(v *present.View, called string) (*estate.Server, error) {
	of := v.Document().Server(called)
	switch {
	case of == nil:
		return nil, fault.New(fault.Unknown, "server-unknown", "see cirque server kept", "the estate has no server %q",
			called)
	case !of.Kept:
		return nil, fault.New(fault.Conflict, "not-kept", "cirque draft set server "+called+" kept=yes, and publish",
			"%s is not kept by Cirque: it is only read", called)
	}
	return of, nil
}

// may lets those change what is kept on a server who may publish what is at its site.
func may(p *access.Principal, of *estate.Server) error {
	return access.CheckAt(p, access.Publish, estate.Site(of.Location), "the server "+of.Name)
}
