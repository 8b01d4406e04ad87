// Package lineups answers who receives which queues, and why. Its use cases: Lineups, WaitLineups, Why, Queues, Queue,
// Reach, ReachOf, Who, Bare, Rehearse, Effects, Coverage, Findings.
package lineups

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/rehearse"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	Revisions(ctx context.Context, limit int) ([]estate.Revision, error)
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Now     func() time.Time
	// Fleet gives the contexts in which endpoints last reported, what one machine reported, and where somebody sits.
	Fleet interface {
		Contexts(ctx context.Context) ([]lineup.Context, error)
		Reported(ctx context.Context) (of func(folded string) *fleet.Judgement, err error)
		OfUsers(ctx context.Context, folded []string) ([]*fleet.Judgement, error)
	}
	// Seats says for whom an agent may ask.
	Seats interface {
		Check(ctx context.Context, p *access.Principal, queries ...lineup.Query) error
	}
	// Certificates says whether a certificate lets its machine in.
	Certificates interface {
		CertificateGood(serial string) bool
	}
	// Owned gives one's own draft, without asking whether it may be read.
	Owned interface {
		Own(ctx context.Context, p *access.Principal, called string) (estate.DraftSheet, error)
	}
	// Documents gives the estate that files or a former revision would make.
	Documents interface {
		Checked(ctx context.Context, p *access.Principal, of rehearse.Ask) (*estate.Document, error)
	}
	// Worlds gives the world as it would be were a draft published now.
	Worlds interface {
		World(ctx context.Context, p *access.Principal, called string) (*lineup.World,
			estate.DraftSheet, error)
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	now     func() time.Time
	present *present.Present
	cfg     Config

	scratch    sync.Pool
	rehearsals rehearsals
	rolls      rolls
	sheets     atomic.Pointer[sheets]
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, now: cfg.Now, scratch: sync.Pool{New: func() any {
		return new(lineup.Scratch)
	}}}
}
