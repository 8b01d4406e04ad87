// Package service holds Cirque's use cases: each checks the permission, calls the core, and keeps what came of it. It
// answers lineups from an immutable snapshot, without locks or database.
package service

import (
	"context"
	"io"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/live"
)

// What the service needs of a store, by noun.
type (
	estates interface {
		Current(ctx context.Context) (estate.Revision, *estate.Document, error)
		CurrentRevision(ctx context.Context) (estate.Revision, error)
		Revision(ctx context.Context, number int) (estate.Revision, *estate.Document, error)
		Revisions(ctx context.Context, limit int) ([]estate.Revision, error)
		RevisionAt(ctx context.Context, at time.Time) (int, error)
		Publish(ctx context.Context, from *estate.Draft, author, reason string, build func(ctx context.Context, current int) (*estate.Document, error)) (estate.Revision, error)
	}
	drafts interface {
		Draft(ctx context.Context, owner, name string) (estate.Draft, bool, error)
		Drafts(ctx context.Context) ([]estate.Draft, error)
		SaveDraft(ctx context.Context, d estate.Draft) (estate.Draft, error)
	}
	states interface {
		Live(ctx context.Context, at *time.Time) (live.State, error)
		Duties(ctx context.Context, at *time.Time) ([]live.Note, error)
		SetLive(ctx context.Context, n live.Note, e event.Event) (bool, error)
		SetPick(ctx context.Context, person, queue string, picked bool, e event.Event) (bool, error)
	}
	directories interface {
		Directory(ctx context.Context, at *time.Time) (directory.Records, int64, error)
		DirectoryVersion(ctx context.Context) (int64, error)
		Import(ctx context.Context, source string, records directory.Records, author string) (directory.Import, error)
	}
	accesses interface {
		Access(ctx context.Context) (access.State, error)
		AddFirstAccount(ctx context.Context, a access.Account) error
		AddSession(ctx context.Context, s access.Session) error
		EndSession(ctx context.Context, hash [32]byte) error
		AddToken(ctx context.Context, t access.Token) (access.Token, error)
		RevokeToken(ctx context.Context, name, author string) error
		Tokens(ctx context.Context) ([]access.Token, error)
		TouchTokens(ctx context.Context, used map[int64]time.Time) error
	}
	fleets interface {
		Endpoints(ctx context.Context) ([]endpoint.Record, error)
		Endpoint(ctx context.Context, machine string) (endpoint.Record, error)
		SaveReport(ctx context.Context, r endpoint.Report, events []event.Event) (endpoint.Record, error)
		Call(ctx context.Context, machine string, e event.Event) error
		AddEvent(ctx context.Context, e event.Event) error
		Events(ctx context.Context, before int64, limit int) ([]event.Event, error)
	}
	notices interface {
		Listen(ctx context.Context, f func(event.Notice), down func(error))
		Ping(ctx context.Context) error
	}
	// A Store keeps everything durable.
	Store interface {
		estates
		directories
		accesses
		fleets
		drafts
		states
		notices
	}
)

// A Printer speaks to devices and servers over the network.
type Printer interface {
	// Print sends one document and says what was answered; uri is absolute. The fault is Unavailable where another device
	// may be tried.
	Print(ctx context.Context, uri string, d job.Document, body io.Reader) (job.Outcome, error)
}

// Config of a Service. The zero value works, without first run, time zones and test pages.
type Config struct {
	Log     *slog.Logger
	Printer Printer
	// Zone gives a time zone by its IANA name, nil for an unknown one. Without it every clock is in UTC.
	Zone func(string) *time.Location
	// Now is the clock; time.Now when nil.
	Now func() time.Time
	// SetupCode gives the one-time code of the first run, and whether there is one; SetupDone throws it away.
	SetupCode func() (string, bool)
	SetupDone func()
	// ReadLDIF turns LDIF into records.
	ReadLDIF func(name, text string) (directory.Records, error)
}

// A Service is safe for any number of goroutines. Run must run for it to hear of changes.
type Service struct {
	store Store
	cfg   Config
	log   *slog.Logger
	now   func() time.Time

	snapshot atomic.Pointer[Snapshot]
	access   atomic.Pointer[access.State]
	loading  sync.Mutex // held while a part of the snapshot is read and replaced
	scratch  sync.Pool

	hub        hub
	callers    callers
	past       past
	drafted    drafted
	before     before
	rehearsals rehearsals
	slow       slowdown
	publishes  chan struct{} // held by who publishes
	large      chan struct{} // bounds the work that looks at everybody
	hashing    chan struct{} // bounds the memory that password hashing takes
	used       usedTokens

	waiting atomic.Int64 // long polls under way

	down atomic.Pointer[string] // why the database's notices do not come; nil when they do
}

// New reads everything for the first time.
func New(ctx context.Context, store Store, cfg Config) (*Service, error) {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	if cfg.Now == nil {
		cfg.Now = time.Now
	}
	s := &Service{store: store, cfg: cfg, log: cfg.Log, now: cfg.Now, hashing: make(chan struct{}, 2), publishes: make(chan struct{}, 1), large: make(chan struct{}, 2)}
	s.scratch.New = func() any { return new(lineup.Scratch) }
	s.slow.failures = map[string]failure{}
	s.used.at = map[int64]time.Time{}
	s.callers.ch = map[string]chan struct{}{}
	s.hub.subscribers = map[chan event.Notice]bool{}
	return s, s.refresh(ctx, event.Lost)
}

// Run listens for changes by other processes and keeps the small books, until ctx is done.
func (s *Service) Run(ctx context.Context) {
	var wg sync.WaitGroup
	wg.Go(func() {
		s.store.Listen(ctx, func(n event.Notice) { s.heard(ctx, n) }, s.deaf)
	})
	wg.Go(func() { s.keepUsed(ctx) })
	wg.Wait()
}

func (s *Service) heard(ctx context.Context, n event.Notice) {
	if s.down.Swap(nil) != nil {
		s.log.Info("the database answers again")
	}
	if err := s.refresh(ctx, n.What); err != nil && ctx.Err() == nil {
		s.log.Error("a change could not be read", "what", n.What, "error", err)
		if n.What != event.Lost {
			// The connection may have gone with it; the next Lost reads everything.
			return
		}
	}
	if n.What == event.Call {
		s.callers.ring(n.Subject)
		return
	}
	s.hub.send(n)
}

func (s *Service) deaf(err error) {
	says := "the database does not answer"
	if err != nil {
		says = err.Error()
	}
	if s.down.Swap(&says) == nil {
		s.log.Error("the database is away; lineups go on from memory", "error", err)
	}
}

// Ready says whether everything works; why is empty then.
func (s *Service) Ready(ctx context.Context) (why string) {
	if says := s.down.Load(); says != nil {
		return "the database is away: lineups go on from memory, changes wait"
	}
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	if err := s.store.Ping(ctx); err != nil {
		return "the database does not answer: lineups go on from memory, changes wait"
	}
	return ""
}
