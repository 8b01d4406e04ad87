// Package service builds the rooms in which Cirque's use cases stand, joins them, and runs their workers. It decides
// nothing itself.
package service

import (
	"cmp"
	"context"
	"crypto/rand"
	"log/slog"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/readiness"
	"cirque/internal/service/adopt"
	"cirque/internal/service/adverts"
	"cirque/internal/service/alerts"
	"cirque/internal/service/audit"
	"cirque/internal/service/continuity"
	"cirque/internal/service/decommission"
	"cirque/internal/service/drafts"
	"cirque/internal/service/drivers"
	"cirque/internal/service/enrolment"
	"cirque/internal/service/factors"
	"cirque/internal/service/fleet"
	"cirque/internal/service/identity"
	"cirque/internal/service/jobs"
	"cirque/internal/service/keepers"
	"cirque/internal/service/lineups"
	"cirque/internal/service/links"
	"cirque/internal/service/once"
	"cirque/internal/service/people"
	"cirque/internal/service/places"
	"cirque/internal/service/present"
	"cirque/internal/service/printing"
	"cirque/internal/service/proofs"
	"cirque/internal/service/secrets"
	"cirque/internal/service/snapshots"
	"cirque/internal/service/sources"
	"cirque/internal/service/stock"
	"cirque/internal/service/updates"
	"cirque/internal/service/views"
	"cirque/internal/service/worker"
)

// Stores are what the rooms keep things in, one for each; all of them see the same data.
type Stores struct {
	Decided    present.Decided
	Seen       present.Seen
	Signals    present.Signals
	Adopt      adopt.Store
	Adverts    adverts.Store
	Alerts     alerts.Store
	Audit      audit.Store
	Continuity continuity.Store
	Endpoints  continuity.Endpoints
	Drafts     drafts.Store
	Beside     drafts.Beside
	// FailedDrafts are those that could not be published when their time had come.
	FailedDrafts interface {
		FailedDrafts(ctx context.Context) ([]estate.Draft, error)
	}
	Uses      decommission.Uses
	Drivers   drivers.Store
	Enrolment enrolment.Store
	Pairs     enrolment.Pairs
	Updates   updates.Store
	Factors   factors.Store
	Fleet     fleet.Store
	Identity  identity.Store
	Tokens    identity.Tokens
	Jobs      jobs.Store
	Printing  printing.Store
	Sending   printing.Work
	Keepers   keepers.Store
	Lineups   lineups.Store
	Links     links.Store
	Once      once.Store
	People    people.Store
	Places    places.Store
	Proofs    proofs.Store
	Secrets   secrets.Store
	Snapshots snapshots.Store
	Sources   sources.Store
	Stock     stock.Store
	Views     views.Store
}

// Seals wrap keys under the names of what they are for.
type Seals interface {
	Seal(name, secret string) ([]byte, error)
	Open(name string, sealed []byte) (string, error)
}

// The clients by which rooms reach out; each room asks for what it needs of them.
type (
	// A Prober asks servers and devices.
	Prober interface {
		stock.Prober
		jobs.Prober
		continuity.Prober
		decommission.Prober
		secrets.Prober
	}
	// A Dir speaks to directories over LDAP.
	Dir interface {
		sources.Dir
		adverts.Dir
		identity.Dir
	}
)

// Config of a Service. The zero value works, without first run, time zones and test pages.
type Config struct {
	Log     *slog.Logger
	Printer jobs.Printer
	// Zone gives a time zone by its IANA name, nil for an unknown one. Without it every clock is in UTC.
	Zone func(string) *time.Location
	// Now is the clock; time.Now when nil.
	Now func() time.Time
	// SetupCode gives the one-time code of the first run, and whether there is one; SetupDone throws it away.
	SetupCode func() (string, bool)
	SetupDone func()
	// Throwaway hashes passwords quickly: the service is thrown away, and keeps nobody out.
	Throwaway bool
	// ReadLDIF turns LDIF into records.
	ReadLDIF func(name, text string) (directory.Records, error)
	// PublicURL is the address by which others reach this service, such as https://cirque.example:8631.
	PublicURL string
	// AgentsURL is the address at which agents enrol; empty where the service speaks no TLS.
	AgentsURL string
	// Authority certifies agents; without it none enrol.
	Authority enrolment.Authority
	// Prober reads servers and devices; without it none are.
	Prober Prober
	// Sender sends notices; without it nobody is told of anything.
	Sender alerts.Sender
	// Places are read for packages of drivers; without it none are.
	Places places.Ways
	// Auditors take the audit elsewhere; without it nobody does.
	Auditors audit.Sender
	// Dir reads directories over LDAP; without it none are.
	Dir Dir
	// Raster draws lines of text as PWG raster, on a page of so many millimetres.
	Raster func(lines []string, media string, width, height float64) ([]byte, error)
	// Devices take jobs of the gateway, Spool keeps their documents under keys that are sealed, and Swept takes away those
	// that belong to no job; without them the gateway takes no jobs.
	Devices printing.Devices
	Spool   func(seals Seals) printing.Spool
	Swept   func(older time.Duration, known func(ids []int64) (map[int64]bool, error)) (int, error)
	// Converter makes of PDF what devices take; without it nothing is converted.
	Converter printing.Converter
	// DHCP reads and writes what DHCP servers reserve.
	DHCP stock.DHCP
	// SecretKeys seal what is secret in the store; they lie beside the data.
	SecretKeys secrets.Ring
	// Health has servers and devices probed; without it none ever counts as down by itself.
	Health bool
	// NoticesEvery is how often it is looked who is to be told of what; ten seconds when zero.
	NoticesEvery time.Duration
	// Doctor looks how the database and this machine do; nil where nobody looks.
	Doctor present.Doctor
	// Process names this process among all on its store.
	Process string
	// Leases are how several processes on one store agree on who does what only one is to do; nil where this one is
	// alone.
	Leases worker.Leases
	// ServersEvery and DevicesEvery are how often the stock is read.
	ServersEvery, DevicesEvery time.Duration
}

// A Service is its rooms. It is safe for any number of goroutines; Run must run for it to hear of changes.
type Service struct {
	Present *present.Present
	// Runner runs the workers, and tells how they are doing.
	Runner *worker.Runner

	Adopt        *adopt.Room
	Adverts      *adverts.Room
	Alerts       *alerts.Room
	Audit        *audit.Room
	Continuity   *continuity.Room
	Decommission *decommission.Room
	Drafts       *drafts.Room
	Drivers      *drivers.Room
	Enrolment    *enrolment.Room
	Updates      *updates.Room
	Factors      *factors.Room
	Fleet        *fleet.Room
	Identity     *identity.Room
	Jobs         *jobs.Room
	Printing     *printing.Room
	Keepers      *keepers.Room
	Lineups      *lineups.Room
	Links        *links.Room
	Once         *once.Room
	People       *people.Room
	Places       *places.Room
	Proofs       *proofs.Room
	Secrets      *secrets.Room
	Snapshots    *snapshots.Room
	Sources      *sources.Room
	Stock        *stock.Room
	Views        *views.Room
}

// New furnishes all rooms, and reads everything for the first time.
func New(ctx context.Context, in Stores, cfg Config) (*Service, error) {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	if cfg.Now == nil {
		cfg.Now = time.Now
	}
	if cfg.Leases == nil {
		cfg.Leases = worker.Single{}
	}
	s := &Service{}
	s.Runner = worker.New(worker.Config{Leases: cfg.Leases, Holder: cmp.Or(cfg.Process, rand.Text()), Log: cfg.Log,
		Fit: func() bool { return s.Present.Age() <= readiness.UnfitAfter }})
	var err error
	if s.Present, err = present.New(ctx, present.Config{Decided: in.Decided, Seen: in.Seen, Signals: in.Signals,
		Log: cfg.Log, Now: cfg.Now, Zone: cfg.Zone, Doctor: cfg.Doctor}); err != nil {
		return nil, err
	}
	s.lookAndKeep(in, cfg)
	if err := s.decide(ctx, in, cfg); err != nil {
		return nil, err
	}
	s.act(in, cfg)
	return s, nil
}

// lookAndKeep furnishes the rooms that need no other: what is known, and kept.
func (s *Service) lookAndKeep(in Stores, cfg Config) {
	p, log, now := s.Present, cfg.Log, cfg.Now
	s.Audit = audit.New(audit.Config{Store: in.Audit, Present: p, Log: log, Now: now, Sender: cfg.Auditors})
	s.Secrets = secrets.New(secrets.Config{Store: in.Secrets, Present: p, Log: log, Now: now, Prober: cfg.Prober,
		SecretKeys: cfg.SecretKeys})
	s.Stock = stock.New(stock.Config{Store: in.Stock, Present: p, Log: log, Now: now, Prober: cfg.Prober, Keys: s.Secrets,
		KeyNotes: s.Secrets, DHCP: cfg.DHCP, ServersEvery: cfg.ServersEvery, DevicesEvery: cfg.DevicesEvery})
	s.Fleet = fleet.New(fleet.Config{Store: in.Fleet, Present: p, Log: log, Now: now})
	s.Snapshots = snapshots.New(snapshots.Config{Store: in.Snapshots, Present: p, Now: now, Fleet: s.Fleet})
	s.Once = once.New(once.Config{Store: in.Once, Log: log})
	s.Views = views.New(views.Config{Store: in.Views})
	s.Links = links.New(links.Config{Store: in.Links, Present: p, Fleet: s.Fleet})
	s.Adverts = adverts.New(adverts.Config{Store: in.Adverts, Present: p, Log: log, Now: now, Runner: s.Runner,
		Dir: cfg.Dir, Passwords: s.Secrets, PublicURL: cfg.PublicURL})
}

// decide furnishes the rooms in which it is decided who is who, and who receives what.
func (s *Service) decide(ctx context.Context, in Stores, cfg Config) (err error) {
	p, log, now := s.Present, cfg.Log, cfg.Now
	s.Identity = identity.New(identity.Config{Store: in.Identity, Tokens: in.Tokens, Present: p, Log: log, Now: now,
		Dir: cfg.Dir, Passwords: s.Secrets, SetupCode: cfg.SetupCode, SetupDone: cfg.SetupDone,
		Throwaway: cfg.Throwaway,
		AskSecond: func(ctx context.Context, a access.Account) (*access.Step, error) { return s.Factors.Ask(ctx, a) }})
	s.Factors = factors.New(factors.Config{Store: in.Factors, Present: p, Now: now, Accounts: s.Identity,
		Seals: s.Secrets, PublicURL: cfg.PublicURL})
	if s.Enrolment, err = enrolment.New(ctx, enrolment.Config{Store: in.Enrolment, Pairs: in.Pairs, Present: p, Log: log,
		Now:       now,
		Authority: cfg.Authority, Accounts: s.Identity, Agents: cfg.AgentsURL}); err != nil {
		return err
	}
	if s.Updates, err = updates.New(ctx, updates.Config{Store: in.Updates, Present: p, Log: log, Now: now,
		Fleet: fleet.Versions{Room: s.Fleet}}); err != nil {
		return err
	}
	if s.Drafts, err = drafts.New(drafts.Config{Store: in.Drafts, Beside: in.Beside, Present: p, Now: now,
		Fleet: s.Fleet, As: func(owner string) (*access.Principal, error) {
			return identity.Acting(s.Identity,
				owner)
		}}); err != nil {
		return err
	}
	s.Lineups = lineups.New(lineups.Config{Store: in.Lineups, Present: p, Now: now, Certificates: s.Enrolment,
		Owned: s.Drafts, Worlds: s.Drafts, Documents: s.Drafts, Fleet: s.Fleet, Seats: fleet.Seats{Room: s.Fleet}})
	s.People = people.New(people.Config{Store: in.People, Present: p, Log: log, Now: now, Changes: s.Drafts,
		Fleet: s.Fleet, Known: s.Lineups})
	s.Sources = sources.New(sources.Config{Store: in.Sources, Present: p, Log: log, Now: now, Dir: cfg.Dir,
		Changes: s.Drafts, Seals: s.Secrets, Passwords: s.Secrets, Listings: s.Adverts, ReadLDIF: cfg.ReadLDIF})
	return nil
}

// act furnishes the rooms that do something about it.
func (s *Service) act(in Stores, cfg Config) {
	p, log, now := s.Present, cfg.Log, cfg.Now
	s.Adopt = adopt.New(adopt.Config{Store: in.Adopt, Endpoints: in.Fleet, Present: p, Now: now, Drafts: s.Drafts,
		Edits: s.Drafts})
	s.Proofs = proofs.New(proofs.Config{Store: in.Proofs, Present: p, Now: now, Queues: s.Lineups, Fleet: s.Fleet})
	s.Decommission = decommission.New(decommission.Config{Uses: in.Uses, Present: p, Now: now, Prober: cfg.Prober,
		Drafts: s.Drafts, Edits: s.Drafts, Fleet: fleet.Leads{Room: s.Fleet}, Rehearsals: s.Lineups, Keys: s.Secrets})
	s.Keepers = keepers.New(keepers.Config{Store: in.Keepers, Present: p, Now: now, Zone: cfg.Zone, Readings: s.Stock,
		Uses: s.Decommission, Certificates: s.Enrolment})
	s.Drivers = drivers.New(drivers.Config{Kept: s.Keepers, Store: in.Drivers, Present: p, Now: now, Cases: s.Lineups,
		Fleet: s.Fleet})
	s.Places = places.New(places.Config{Store: in.Places, Present: p, Log: log, Now: now, Ways: cfg.Places,
		Packages: s.Drivers})
	s.Continuity = continuity.New(continuity.Config{Kept: s.Keepers, Store: in.Continuity, Endpoints: in.Endpoints,
		Present: p, Log: log,
		Now: now, Prober: cfg.Prober, Snapshots: s.Snapshots, Rehearsals: s.Lineups, Readings: s.Stock, Fleet: s.Fleet,
		Health: cfg.Health})

	s.Alerts = alerts.New(alerts.Config{Store: in.Alerts, Drafts: in.FailedDrafts, Present: p, Log: log, Now: now,
		Sender: cfg.Sender, Kept: s.Keepers,
		Keys: s.Secrets, KeyNotes: s.Secrets, Signs: s.Secrets, Fleet: s.Fleet, NoticesEvery: cfg.NoticesEvery})
	s.Jobs = jobs.New(jobs.Config{Store: in.Jobs, Present: p, Log: log, Now: now, Printer: cfg.Printer,
		Prober: cfg.Prober, Reasons: s.Lineups, Keys: s.Secrets, Readings: s.Stock, Raster: cfg.Raster,
		Keepers: s.Keepers, Tell: s.Alerts})
	s.Printing = printing.New(printing.Config{Store: in.Printing, Work: in.Sending, Events: in.Jobs, Present: p, Log: log,
		Now: now, Devices: cfg.Devices, Spool: spoolOf(cfg, s.Secrets), Swept: cfg.Swept, Converter: cfg.Converter,
		Process: cmp.Or(cfg.Process, "alone"), Keys: s.Secrets, Seats: fleet.Seats{Room: s.Fleet}})
}

// spoolOf is the spool whose keys the secrets seal; nil where there is none.
func spoolOf(cfg Config, seals Seals) printing.Spool {
	if cfg.Spool == nil {
		return nil
	}
	return cfg.Spool(seals)
}

// Run runs all workers until ctx is done.
func (s *Service) Run(ctx context.Context) {
	all := []worker.Worker{{Name: "present", Run: s.Present.Listen}, {Name: "readiness", Run: s.Present.Watch}}
	for _, room := range []interface{ Workers() []worker.Worker }{s.Audit, s.Secrets, s.Identity,
		drafts.Publisher{Room: s.Drafts}, s.Stock,
		s.Fleet,
		s.Adverts, s.People, s.Places,
		s.Sources, s.Continuity, s.Alerts, s.Decommission, s.Keepers, s.Updates,
		s.Printing} {
		all = append(all, room.Workers()...)
	}
	s.Runner.Run(ctx, all...)
}
