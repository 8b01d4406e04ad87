// Package alerts finds what is wrong and tells whoever is to know. Its use cases: Faults, Notices, SentNotices,
// TryNotice, Figures. Its workers tell people, and look for what is asked about often.
package alerts

import (
	"context"
	"crypto/ed25519"
	"log/slog"
	"time"

	"cirque/core/advert"
	"cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/notice"
	"cirque/core/page"
	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Store is what is needed of the store.
type Store interface {
	AddSent(ctx context.Context, list []notice.Sent, events []event.Event) error
	// Verdicts gives what probing has proven of each, and nothing else of it.
	Verdicts(ctx context.Context) ([]continuity.Health, error)
	// Unwell gives what probing has found of those that are down or held.
	Unwell(ctx context.Context) ([]continuity.Health, error)
	Listings(ctx context.Context) ([]advert.Listing, error)
	// Forwarding gives how far the audit has been sent.
	Forwarding(ctx context.Context, target string) (event.Forwarding, error)
	EndedRuns(ctx context.Context) (map[string]directory.Run, error)
	// BackedUp gives when all was backed up last; zero where it never was.
	BackedUp(ctx context.Context) (time.Time, error)
	Samples(ctx context.Context, since time.Time) ([]endpoint.Sample, error)
	SaveNotified(ctx context.Context, list []notice.Notified) error
	SeenFaults(ctx context.Context) (map[string]time.Time, error)
	SeenSince(ctx context.Context, keys []string, now time.Time) (map[string]time.Time, error)
	LastSent(ctx context.Context) (map[string]notice.Sent, error)
	Sent(ctx context.Context, of string, ask page.Ask, word string) (page.Page[notice.Sent], error)
	Sources(ctx context.Context) ([]directory.Source, map[string][]byte, error)
	Notified(ctx context.Context) ([]notice.Notified, error)
}

// A Sender sends notices.
type Sender interface {
	// Mail hands one message to a relay, and says what the relay answered.
	Mail(ctx context.Context, m notice.Mail, key *stock.Key) (string, error)
	// Post sends JSON to an address, signed with a key of the service's unless it is nil, and says what was answered.
	Post(ctx context.Context, to string, body []byte, key *stock.Key, signed ed25519.PrivateKey) (string, error)
}

// Config of a Room.
type Config struct {
	Store   Store
	Sender  Sender
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Fleet tells how endpoints stand.
	Fleet interface {
		Leading(ctx context.Context) (map[string][2]int, error)
		Troubled(ctx context.Context) (failing, silent []*fleet.Judgement, all int, err error)
	}
	// Kept tells which servers that Cirque keeps fail, or have silent agents; nil where none is kept.
	Kept interface {
		Troubled(ctx context.Context) ([]server.Summary, error)
	}
	// Keys opens the keys that are meant for a server or device.
	Keys interface {
		KeysFor(w stock.Watch) []stock.Key
	}
	// Drafts gives those that could not be published when their time had come.
	Drafts interface {
		FailedDrafts(ctx context.Context) ([]estate.Draft, error)
	}
	// Signs has the key with which posts are signed.
	Signs interface {
		NoticeKey() ed25519.PrivateKey
	}
	// KeyNotes keeps what came of using keys.
	KeyNotes interface {
		NoteKeys(ctx context.Context, keys []stock.Key)
	}
	// NoticesEvery is how often it is looked who is to be told of what; ten seconds when zero.
	NoticesEvery time.Duration
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	log     *slog.Logger
	now     func() time.Time
	present *present.Present
	cfg     Config

	late   late
	worded worded
	watch  watch
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now,
		late: late{stale: make(chan struct{}, 1)}}
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	var list []worker.Worker
	if s.cfg.Sender != nil {
		list = append(list, worker.Worker{Name: "notices", Leased: true, Run: s.notifyAll})
	}
	return append(list, worker.Worker{Name: "faults", Run: s.keepFaults})
}
