// Package present holds what every room of the service looks at, and keeps it true: the compiled view of estate,
// directory and live state; what is known of the stock; who has access; which agents wait. All of it is immutable
// and stands behind atomic pointers, so that reading needs neither lock nor database.
//
// Its worker is Listen: it hears of changes by other processes and reads again what they name.
package present

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/semaphore"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/stock"
)

// What is needed of the store, by part.
type (
	// Decided is what was decided, and who has access.
	Decided interface {
		Current(ctx context.Context) (estate.Revision, *estate.Document, error)
		CurrentRevision(ctx context.Context) (estate.Revision, error)
		Revision(ctx context.Context, number int) (estate.Revision, *estate.Document, error)
		RevisionAt(ctx context.Context, at time.Time) (int, error)
		Directory(ctx context.Context, at *time.Time) (directory.Records, int64, error)
		DirectoryVersion(ctx context.Context) (int64, error)
		Live(ctx context.Context, at *time.Time) (live.State, error)
		Access(ctx context.Context) (access.State, error)
	}
	// Seen is what was seen of the stock.
	Seen interface {
		Watches(ctx context.Context) ([]stock.Watch, error)
		Readings(ctx context.Context, kind, name string) ([]stock.Kept, error)
		Found(ctx context.Context) ([]stock.Unlisted, error)
		Reservations(ctx context.Context) ([]stock.Reservation, error)
		Captures(ctx context.Context) ([]stock.Capture, error)
		Credentials(ctx context.Context) ([]stock.Credential, map[string][]byte, error)
		Packages(ctx context.Context) ([]driver.Package, error)
	}
	// Signals are how processes hear of each other's changes.
	Signals interface {
		// Listen gives notices to hear until ctx is done. current says that everything that was sent before a time of this
		// process's clock has been given; down that notices do not come, and why. All are called one at a time.
		Listen(ctx context.Context, hear func(event.Signal), current func(asOf time.Time), down func(error))
	}
)

// Config of a Present.
type Config struct {
	Decided Decided
	Seen    Seen
	Signals Signals
	Log     *slog.Logger
	// Doctor looks how the database and this machine do; nil where nobody looks.
	Doctor Doctor
	// Now is the clock.
	Now func() time.Time
	// Zone gives a time zone by its IANA name, nil for an unknown one. Without it every clock is in UTC.
	Zone func(string) *time.Location
}

// A Present is safe for any number of goroutines. Listen must run for it to hear of changes by other processes.
type Present struct {
	cfg Config

	// Agents wait here to be called.
	Agents Agents
	// Hub hands notices to whoever watches.
	Hub *Hub
	// Crew does the work that looks at everybody.
	Crew Crew
	// Past gives former views.
	Past Past

	view   atomic.Pointer[View]
	stock  atomic.Pointer[Stock]
	access atomic.Pointer[access.State]

	parts parts
	known known

	also []func(ctx context.Context, n event.Signal) error // written before Listen runs, only read afterwards
	down atomic.Pointer[string]                            // why notices do not come; nil when they do
}

// New reads everything for the first time.
func New(ctx context.Context, cfg Config) (*Present, error) {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	p := &Present{cfg: cfg}
	p.known.look = make(chan struct{}, 1)
	p.Agents.waiting, p.Agents.missed = map[string]*waiting{}, map[string]time.Time{}
	p.Hub = NewHub()
	p.Crew.slots = semaphore.NewWeighted(crews)
	p.Past.of = p
	var err error
	if p.Past.compiled, err = lru.New[int, *lineup.Estate](pastEstates); err != nil {
		return nil, err
	}
	begun := time.Now()
	if err := p.Refresh(ctx, event.Signal{What: event.Lost}); err != nil {
		return nil, err
	}
	p.known.asOf.Store(&begun)
	p.Look(ctx, true)
	return p, nil
}

// Also has a room read what it keeps in memory of its own when a notice comes. It is called while the service is being
// built.
func (p *Present) Also(f func(ctx context.Context, n event.Signal) error) { p.also = append(p.also, f) }

// View gives the present one.
func (p *Present) View() *View { return p.view.Load() }

// Stock gives what is known of the stock.
func (p *Present) Stock() *Stock { return p.stock.Load() }

// Access gives who has access.
func (p *Present) Access() *access.State { return p.access.Load() }

// Parsing gives the options by which estates are read here.
func (p *Present) Parsing() estate.Options {
	return estate.Options{ValidZone: func(z string) bool { return p.cfg.Zone == nil || p.cfg.Zone(z) != nil }}
}

// Compiling gives the options by which estates are compiled here, taking over from the present one what is unchanged.
func (p *Present) Compiling() lineup.Options {
	o := lineup.Options{Zone: p.cfg.Zone}
	if v := p.View(); v != nil {
		o.Reuse = v.World.Estate
	}
	return o
}

// Listen hears of changes by other processes until ctx is done.
func (p *Present) Listen(ctx context.Context) error {
	p.known.listening.Store(true)
	ctx = context.WithValue(ctx, event.ForKey{}, event.ForPresent)
	p.cfg.Signals.Listen(ctx, func(n event.Signal) { p.follow(ctx, n) },
		func(at time.Time) { p.current(ctx, at) }, p.unheard)
	return nil
}

func (p *Present) follow(ctx context.Context, n event.Signal) {
	if p.down.Swap(nil) != nil {
		p.cfg.Log.Info("the database answers again")
		p.lookNow()
	}
	err := p.Refresh(ctx, n)
	for _, f := range p.also {
		err = errors.Join(err, f(ctx, n))
	}
	if err != nil && ctx.Err() == nil {
		p.cfg.Log.Error("a change could not be read; it is tried again", "what", n.What, "error", err)
		p.missed(n)
		return
	}
	if n.What == event.Call {
		p.Agents.Wake(n.Subject)
		return
	}
	p.Hub.Send(n)
}

// Show reads again what was just written, so that the next answer holds it. What cannot be read now is read as soon as
// it can be: it was written all the same, and whoever wrote it is not told otherwise.
func (p *Present) Show(ctx context.Context, n event.Signal) {
	if err := p.Refresh(ctx, n); err != nil {
		if ctx.Err() == nil {
			p.cfg.Log.Warn("what was written could not be read yet", "what", n.What, "error", err)
		}
		p.missed(n)
	}
}

func (p *Present) unheard(err error) {
	says := "the database does not answer"
	if err != nil {
		says = err.Error()
	}
	if p.down.Swap(&says) == nil {
		p.cfg.Log.Error("the database is away; lineups go on from memory", "error", err)
		p.lookNow()
	}
}

// parts are what is replaced by itself. Each mutex is held while its part is read, so that a later reading is never
// overtaken by an earlier one; swap alone is held while the view is put together from its three parts, and never over
// a question to the database.
type parts struct {
	estate, directory, live, access, stock sync.Mutex

	liveAsked   atomic.Int64 // how often live state was asked for
	liveRead    int64        // how many of these the last reading covers; guarded by live
	accessAsked atomic.Int64 // the same of who has access
	accessRead  int64        // guarded by access

	swap sync.Mutex
	// Guarded by swap; nil before they were read for the first time.
	compiled         *lineup.Estate
	revision         estate.Revision
	people           *directory.Directory
	directoryVersion int64
	state            *live.State
}
