// Package service holds Cirque's use cases: each checks the permission, calls the core, and keeps what came of it. It
// answers lineups from an immutable snapshot, without locks or database.
package service

import (
	"cmp"
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"io"
	"log/slog"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"cirque/core/access"
	"cirque/core/advert"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/notice"
	"cirque/core/photograph"
	"cirque/internal/service/present"
	"cirque/internal/service/tries"
	"cirque/internal/service/worker"
)

// What the service needs of a store, by noun.
type (
	estates interface {
		Current(ctx context.Context) (estate.Revision, *estate.Document, error)
		CurrentRevision(ctx context.Context) (estate.Revision, error)
		Revision(ctx context.Context, number int) (estate.Revision, *estate.Document, error)
		Revisions(ctx context.Context, limit int) ([]estate.Revision, error)
		RevisionAt(ctx context.Context, at time.Time) (int, error)
		Publish(ctx context.Context, from *estate.Draft, author, reason string, build func(ctx context.Context,
			current int) (*estate.Document, error)) (estate.Revision, error)
	}
	drafts interface {
		Draft(ctx context.Context, owner, name string) (estate.Draft, bool, error)
		Drafts(ctx context.Context) ([]estate.Draft, error)
		SaveDraft(ctx context.Context, d estate.Draft) (estate.Draft, error)
	}
	states interface {
		Live(ctx context.Context, at *time.Time) (live.State, error)
		Duties(ctx context.Context, at *time.Time) ([]live.Note, error)
		LastOut(ctx context.Context, server string, since time.Time) (live.Note, bool, error)
		SetLive(ctx context.Context, n live.Note, only func(was live.Note) bool, e event.Event) (bool, error)
		Healths(ctx context.Context) ([]live.Health, error)
		SaveHealth(ctx context.Context, list []live.Health, changed func(live.Health) bool) error
		HealthChanges(ctx context.Context, kind, name string, since time.Time) ([]live.Turn, error)
		SetPick(ctx context.Context, person, queue string, picked bool, e event.Event) (bool, error)
	}
	directories interface {
		Directory(ctx context.Context, at *time.Time) (directory.Records, int64, error)
		DirectoryVersion(ctx context.Context) (int64, error)
		Import(ctx context.Context, source string, rows []directory.Row, how directory.Taking) (directory.Import, error)
	}
	accesses interface {
		Access(ctx context.Context) (access.State, error)
		AddFirstAccount(ctx context.Context, a access.Account) error
		AddSession(ctx context.Context, s access.Session) error
		EndSession(ctx context.Context, hash [32]byte) error
		RevokeSession(ctx context.Context, id int64, author string) error
		AddToken(ctx context.Context, t access.Token) (access.Token, error)
		RevokeToken(ctx context.Context, name, author string) error
		Tokens(ctx context.Context) ([]access.Token, error)
		TouchTokens(ctx context.Context, used map[int64]time.Time) error
	}
	accounts interface {
		AddAccount(ctx context.Context, a access.Account, author string) (access.Account, error)
		SetRole(ctx context.Context, name string, h access.Holding, author string) (access.Account, error)
		SetPassword(ctx context.Context, name, hash, author string) (string, error)
		RemoveAccount(ctx context.Context, name, author string) error
		MeetAccount(ctx context.Context, a access.Account) error
		AddRule(ctx context.Context, r access.Rule) (access.Rule, error)
		RemoveRule(ctx context.Context, id int64, author string) error
		Audit(ctx context.Context, want event.Filter) ([]event.Event, error)
	}
	fleets interface {
		Endpoints(ctx context.Context) ([]endpoint.Record, error)
		Endpoint(ctx context.Context, machine string) (endpoint.Record, error)
		SaveReport(ctx context.Context, r endpoint.Report, from string, servers []string,
			events []event.Event) (endpoint.Record, error)
		Leading(ctx context.Context) (map[string][2]int, error)
		LeadingTo(ctx context.Context, server string, limit int) ([]endpoint.Record, error)
		AddCheckup(ctx context.Context, want endpoint.Checkup, e event.Event) (endpoint.Checkup, error)
		Checkup(ctx context.Context, id int64) (endpoint.Checkup, error)
		AskedCheckup(ctx context.Context, machine string, since time.Time) (endpoint.Checkup, error)
		AnswerCheckup(ctx context.Context, id int64, machine, tried string, rungs []endpoint.Rung) error
		TellPaper(ctx context.Context, id int64, saw driver.Seen, e event.Event) (endpoint.Checkup, error)
		Papers(ctx context.Context, model string) ([]driver.Seen, error)
		TestPages(ctx context.Context, queue string, since time.Time) ([]endpoint.Checkup, error)
		AddSample(ctx context.Context, f endpoint.Sample) error
		Samples(ctx context.Context, since time.Time) ([]endpoint.Sample, error)
		Call(ctx context.Context, machine string, e event.Event) error
		AddEvent(ctx context.Context, e event.Event) error
		Events(ctx context.Context, before int64, limit int) ([]event.Event, error)
	}
	notices interface {
		Listen(ctx context.Context, f func(event.Notice), down func(error))
		Ping(ctx context.Context) error
	}
	people interface {
		AddRequest(ctx context.Context, r access.Request) (access.Request, error)
		Requests(ctx context.Context, persons []string, limit int) ([]access.Request, error)
		Request(ctx context.Context, id int64) (access.Request, error)
		AnswerRequest(ctx context.Context, id int64, state, author, says string) (access.Request, error)
		PersonData(ctx context.Context, names []string) (directory.PersonData, error)
		EventsOf(ctx context.Context, names []string) ([]event.Event, error)
		ErasePerson(ctx context.Context, names, accounts []string, author, reason string) (string, error)
		ForgetBefore(ctx context.Context, at time.Time) (int64, error)
	}
	listings interface {
		Listed(ctx context.Context, source string) ([]string, error)
		ClaimEntry(ctx context.Context, source, dn string) error
		ReleaseEntry(ctx context.Context, source, dn string) error
		SaveListing(ctx context.Context, l advert.Listing, events []event.Event) error
		Listings(ctx context.Context) ([]advert.Listing, error)
		ForgetListing(ctx context.Context, source string) error
	}
	enrolments interface {
		AddEnrolToken(ctx context.Context, t access.EnrolToken) (access.EnrolToken, error)
		EnrolTokens(ctx context.Context) ([]access.EnrolToken, error)
		EnrolTokenBy(ctx context.Context, hash [32]byte) (access.EnrolToken, error)
		RevokeEnrolToken(ctx context.Context, name, author string) error
		Enrol(ctx context.Context, token int64, e access.Enrolled) (access.Enrolled, error)
		Renew(ctx context.Context, former string, e access.Enrolled) (access.Enrolled, error)
		Enrolled(ctx context.Context) ([]access.Enrolled, error)
		GoodCertificates(ctx context.Context, machine string) ([]access.Enrolled, error)
		Revoke(ctx context.Context, machine, author string) error
	}
	joins interface {
		SetJoinRule(ctx context.Context, rule string, on bool, e event.Event) (bool, error)
		SetLead(ctx context.Context, source string, e event.Event) error
		AddJoin(ctx context.Context, j directory.Join, e event.Event) (directory.Join, error)
		EndJoin(ctx context.Context, id int64, author string) error
	}
	tellings interface {
		SeenSince(ctx context.Context, keys []string, now time.Time) (map[string]time.Time, error)
		SeenFaults(ctx context.Context) (map[string]time.Time, error)
		Told(ctx context.Context) ([]notice.Told, error)
		SaveTold(ctx context.Context, list []notice.Told) error
		AddSent(ctx context.Context, list []notice.Sent, events []event.Event) error
		Sent(ctx context.Context, of string, limit int) ([]notice.Sent, error)
	}
	exercises interface {
		AddExercise(ctx context.Context, e endpoint.Exercise, ev event.Event) (endpoint.Exercise, error)
		SaveExercise(ctx context.Context, e endpoint.Exercise, events []event.Event) error
		StopExercise(ctx context.Context, id int64, by string) error
		Exercises(ctx context.Context, open bool, limit int) ([]endpoint.Exercise, error)
		Exercise(ctx context.Context, id int64) (endpoint.Exercise, error)
		Failing(ctx context.Context) (int, error)
	}
	photographs interface {
		AddPhotograph(ctx context.Context, p photograph.Photograph, e event.Event) (photograph.Photograph, error)
		Photographs(ctx context.Context) ([]photograph.Photograph, error)
		Photograph(ctx context.Context, name string) (photograph.Photograph, error)
		RemovePhotograph(ctx context.Context, name string, e event.Event) error
	}
	// A Store keeps everything durable.
	Store interface {
		estates
		directories
		accesses
		accounts
		joins
		enrolments
		listings
		people
		tellings
		exercises
		photographs
		fleets
		drafts
		states
		notices
		readings
		findings
		credentials
		packages
		sources
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
	// PublicURL is the address by which others reach this service, such as https://cirque.example:8631.
	PublicURL string
	// Authority certifies agents; without it none enrol.
	Authority Authority
	// Prober reads servers and devices; without it none are.
	Prober Prober
	// Teller sends notices; without it nobody is told of anything.
	Teller Teller
	// Dir reads directories over LDAP; without it none are.
	Dir Dir
	// Raster draws lines of text as PWG raster, on a page of so many millimetres.
	Raster func(lines []string, media string, width, height float64) ([]byte, error)
	// SecretKey seals what is secret in the store: 32 bytes that lie beside the data.
	SecretKey []byte
	// Health has servers and devices present.Watched; without it none ever counts as down by itself.
	Health bool
	// NoticesEvery is how often it is looked who is to be told of what; ten seconds when zero.
	NoticesEvery time.Duration
	// Leases are how several processes on one store agree on who does what only one is to do; nil where this one is alone.
	Leases worker.Leases
	// ServersEvery and DevicesEvery are how often the stock is read.
	ServersEvery, DevicesEvery time.Duration
}

// A Service is safe for any number of goroutines. Run must run for it to hear of changes.
type Service struct {
	store Store
	cfg   Config
	log   *slog.Logger
	now   func() time.Time

	present *present.Present
	runner  *worker.Runner
	scratch sync.Pool

	drafted    *lru.Cache[draftKey, *lineup.Estate]
	rehearsals rehearsals

	certificates certificates
	wanted       wanted
	failing      failingLately
	reading      sync.Map // of *sync.Mutex, by kind and name of what is read
	slow         *tries.Slowdown
	publishes    chan struct{} // held by who publishes
	scans        chan scanning
	drains       chan struct{} // wakes who looks after health, drains and returns
	hashing      chan struct{} // bounds the memory that password hashing takes
	used         usedTokens

	answers ed25519.PrivateKey // signs what agents are answered
}

// New reads everything for the first time.
func New(ctx context.Context, store Store, cfg Config) (*Service, error) {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	if cfg.Now == nil {
		cfg.Now = time.Now
	}
	s := &Service{store: store, cfg: cfg, log: cfg.Log, now: cfg.Now, hashing: make(chan struct{}, 2),
		publishes: make(chan struct{}, 1), scans: make(chan scanning, 1), drains: make(chan struct{}, 1)}
	s.cfg.ServersEvery, s.cfg.DevicesEvery = cmp.Or(s.cfg.ServersEvery, ServersEvery), cmp.Or(s.cfg.DevicesEvery,
		DevicesEvery)
	s.scratch.New = func() any { return new(lineup.Scratch) }
	if cfg.Leases == nil {
		cfg.Leases = worker.Single{}
	}
	s.runner = worker.New(worker.Config{Leases: cfg.Leases, Holder: rand.Text(), Log: cfg.Log})
	s.slow = tries.New()
	s.answers = answerKey(cfg.SecretKey)
	s.used.at = map[int64]time.Time{}
	var err error
	if s.drafted, err = lru.New[draftKey, *lineup.Estate](draftsKept); err != nil {
		return nil, err
	}
	s.present, err = present.New(ctx, present.Config{Decided: store, Seen: store, Notices: store, Log: cfg.Log,
		Now: cfg.Now, Zone: cfg.Zone})
	if err != nil {
		return nil, err
	}
	s.present.Also(s.readCertificates)
	return s, s.readCertificates(ctx, event.Notice{What: event.Lost})
}

// Run listens for changes by other processes and keeps the small books, until ctx is done.
func (s *Service) Run(ctx context.Context) { s.runner.Run(ctx, s.workers()...) }

func (s *Service) workers() []worker.Worker {
	all := []worker.Worker{
		{Name: "present", Run: s.present.Listen},
		{Name: "tokens", Run: s.keepUsed},
		{Name: "scans", Run: s.keepScans},
		{Name: "history", Run: s.keepHistory},
		{Name: "samples", Alone: true, Run: s.noteSamples},
	}
	if s.cfg.Prober != nil {
		all = append(all, worker.Worker{Name: "stock", Alone: true, Run: s.readAll},
			worker.Worker{Name: "health", Alone: true, Run: s.watchHealth})
	}
	if s.cfg.Dir != nil {
		all = append(all, worker.Worker{Name: "sources", Alone: true, Run: s.readSources},
			worker.Worker{Name: "listings", Alone: true, Run: s.listAll})
	}
	if s.cfg.Teller != nil {
		all = append(all, worker.Worker{Name: "notices", Alone: true, Run: s.tellAll})
	}
	return all
}

// Ready says whether everything works; why is empty then.
func (s *Service) Ready(ctx context.Context) (why string) { return s.present.Ready(ctx) }

// Waiting counts the long polls under way.
func (s *Service) Waiting() int { return s.present.Agents.Polls() }

// Present gives what all look at.
func (s *Service) Present() *present.Present { return s.present }
