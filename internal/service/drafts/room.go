// Package drafts holds what is decided and not yet published, and publishes it. Its use cases: those of drafts (Draft,
// Drafts, Edit, Apply, Discard, Dependents, QueueTable, ApplyQueueTable, Rename), of publishing (PublishDraft, Publish,
// Revert, PublishAt, KeepBack), of revisions (Estate, Revisions, Diff, CheckEstate) and of what is said of drafts
// (Comment, Comments, CommentsOfRevision). Its worker publishes what waits for its moment.
package drafts

import (
	"context"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/page"
	"cirque/internal/service/present"
)

// A Store is what is needed of the store.
type Store interface {
	Current(ctx context.Context) (estate.Revision, *estate.Document, error)
	CurrentRevision(ctx context.Context) (estate.Revision, error)
	Draft(ctx context.Context, owner, name string) (estate.Draft, bool, error)
	Drafts(ctx context.Context) ([]estate.Draft, error)
	Publish(ctx context.Context, from *estate.Draft, author, reason string, build func(ctx context.Context,
		current int) (*estate.Document, error)) (estate.Revision, error)
	Revision(ctx context.Context, number int) (estate.Revision, *estate.Document, error)
	// LastChanges gives the revisions up to one that last changed some objects.
	LastChanges(ctx context.Context, refs []estate.Ref, upTo int) (map[estate.Ref]estate.Revision, error)
	// Past gives what the latest two hundred of the revisions up to one that changed an object did to it, newest first.
	Past(ctx context.Context, ref estate.Ref, former []string, upTo int) ([]estate.Past, error)
	RevisionsPage(ctx context.Context, ask page.Ask, word string) (page.Page[estate.Revision], error)
	SaveDraft(ctx context.Context, d estate.Draft) (estate.Draft, error)
	ProposeDraft(ctx context.Context, d estate.Draft, why string, e event.Event) error
	DraftByID(ctx context.Context, id int64) (estate.Draft, error)
	// SettleDraft takes a proposal off a draft, where it is one, and records what came of it.
	SettleDraft(ctx context.Context, d estate.Draft, e event.Event) error
}

// Config of a Room.
type Config struct {
	Store   Store
	Beside  Beside
	Present *present.Present
	Now     func() time.Time
	// As gives somebody by what their drafts belong to, with what they may now; a Denied fault where there is nobody.
	As func(owner string) (*access.Principal, error)
	// Fleet says where machines' agents last reported from; nil where there is none.
	Fleet Fleet
}

// A Fleet knows machines that have agents.
type Fleet interface {
	Reported(ctx context.Context) (of func(folded string) *fleet.Judgement, err error)
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	beside  Beside
	now     func() time.Time
	as      func(owner string) (*access.Principal, error)
	present *present.Present
	fleet   Fleet

	drafted   *lru.Cache[draftKey, *lineup.Estate]
	publishes chan struct{} // held by who publishes
}

// New furnishes the room.
func New(cfg Config) (*Room, error) {
	drafted, err := lru.New[draftKey, *lineup.Estate](draftsKept)
	if err != nil {
		return nil, err
	}
	return &Room{drafted: drafted, store: cfg.Store, beside: cfg.Beside, now: cfg.Now, as: cfg.As, present: cfg.Present,
		fleet:     cfg.Fleet,
		publishes: make(chan struct{}, 1)}, nil
}
