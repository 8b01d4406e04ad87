// Package people does what a person may ask for: picks, requests, and what is kept of them. Its use cases: Pick, Picks,
// RequestQueue, Requests, AnswerRequest, WithdrawRequest, PersonData, PersonHistory, ErasePerson. Its workers forget
// what is over, and end picks that nothing offers any more.
package people

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Store is what is needed of the store.
type Store interface {
	AddRequest(ctx context.Context, r access.Request) (access.Request, error)
	AnswerRequest(ctx context.Context, id int64, state, author, says string) (access.Request, error)
	DraftRequest(ctx context.Context, id int64, author, says string) (access.Request, error)
	// Drafted lists the open requests that were granted in a draft.
	Drafted(ctx context.Context) ([]access.Request, error)
	ErasePerson(ctx context.Context, names, accounts []string, author, reason string) (string, error)
	EventsOf(ctx context.Context, names []string) ([]event.Event, error)
	ForgetBefore(ctx context.Context, at time.Time) (int64, error)
	PersonData(ctx context.Context, names []string) (directory.PersonData, error)
	Request(ctx context.Context, id int64) (access.Request, error)
	Requests(ctx context.Context, persons []string, limit int) ([]access.Request, error)
	// RevisionsNaming gives the revisions that name a user under any of some folded names, newest first.
	RevisionsNaming(ctx context.Context, names []string) ([]int, error)
	// Notes gives what is written down about persons or machines of some folded names; about all where names is nil.
	Notes(ctx context.Context, kind string, names []string) ([]directory.WrittenNote, error)
	SetNote(ctx context.Context, n directory.WrittenNote, others []string, e event.Event) error
	SetPick(ctx context.Context, person, queue string, picked bool, e event.Event) (bool, error)
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Fleet tells where somebody has sessions.
	Fleet interface {
		OfUsers(ctx context.Context, folded []string) ([]*fleet.Judgement, error)
	}
	// Known gives an Unknown fault for somebody, or a machine, that neither the directory, nor the estate, nor any
	// endpoint knows.
	Known interface {
		KnownPerson(ctx context.Context, called string) error
		KnownMachine(ctx context.Context, called string) error
	}
	// Changes makes one's own draft equal a document that follows from it.
	Changes interface {
		Change(ctx context.Context, p *access.Principal, called string, version *int64,
			next func(estate.DraftSheet) (*estate.Document, error)) (estate.DraftSheet, error)
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	present *present.Present
	now     func() time.Time
	log     *slog.Logger
	cfg     Config
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now}
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "history", Run: s.forgetHistory}, {Name: "picks", Leased: true, Run: s.follow}}
}
