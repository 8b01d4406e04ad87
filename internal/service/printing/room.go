// Package printing takes jobs at the gateway, keeps them, sends them to devices and follows them there. Its use cases:
// Enter, Validate, Print, Announce, Feed, CloseJob, Show, List, Page, Cancel, HoldJob, Release, Decide, Offer,
// Identify.
package printing

import (
	"context"
	"io"
	"log/slog"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/stock"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
	"cirque/internal/spool"
)

// A Store keeps jobs.
type Store interface {
	JobNumbers(ctx context.Context) (first int64, count int, err error)
	Job(ctx context.Context, id int64) (job.Job, []job.Past, error)
	JobList(ctx context.Context, f job.Filter) ([]job.Job, error)
	JobCount(ctx context.Context, f job.Filter, most int) (int, error)
	// AddJob keeps a new job as f makes it, and ChangeJob changes one, under the lease that a fence names where it is not
	// 0.
	AddJob(ctx context.Context, j *job.Job, f job.Change) error
	ChangeJob(ctx context.Context, id, fence int64, f job.Change) (job.Job, error)
	Document(ctx context.Context, id int64) (job.Stored, error)
	Balances(ctx context.Context, person string, windows []job.Window) ([]job.Balance, error)
}

// Work is what senders ask of the store.
type Work interface {
	ReadyJobs(ctx context.Context, each int) ([]job.Job, error)
	JobLoads(ctx context.Context) (map[string]job.Load, error)
	RenewJobs(ctx context.Context, sender string, lasts time.Duration) (map[int64]job.Lease, error)
	LeftJobs(ctx context.Context, limit int) ([]job.Job, error)
	DueJobs(ctx context.Context, unfed time.Duration, limit int) ([]int64, error)
	ForgetJobs(ctx context.Context, after time.Duration, limit int) (int64, error)
	KeptDocuments(ctx context.Context, ids []int64) (map[int64]bool, error)
	SweepChunks(ctx context.Context, older time.Duration) error
}

// Devices speak to devices. Failures are faults: Invalid where the device will not take this job, Unavailable where it
// takes none just now, Unknown where it does not know the job.
type Devices interface {
	About(ctx context.Context, uri string, key *stock.Key) (job.About, error)
	CreateJob(ctx context.Context, uri string, key *stock.Key, t job.Ticket) (job.Status, error)
	SendDocument(ctx context.Context, uri string, key *stock.Key, id int, t job.Ticket, body io.Reader) (job.Status, error)
	PrintJob(ctx context.Context, uri string, key *stock.Key, t job.Ticket, body io.Reader) (job.Status, error)
	JobStatus(ctx context.Context, uri string, key *stock.Key, id int) (job.Status, error)
	FindJob(ctx context.Context, uri string, key *stock.Key, mark string) (job.Status, bool, error)
	CancelJob(ctx context.Context, uri string, key *stock.Key, id int) error
	SendRaw(ctx context.Context, uri string, body io.Reader) error
	Identify(ctx context.Context, uri string, key *stock.Key, says string) error
}

// A Spool keeps documents.
type Spool interface {
	Create(ctx context.Context, id int64) (*spool.Writer, error)
	Open(ctx context.Context, id int64, d job.Stored) (*spool.Reader, error)
	Remove(ctx context.Context, id int64) error
}

// A Converter makes of a PDF what a device takes.
type Converter interface {
	// Formats are what it can make of a PDF.
	Formats() []string
	// Convert writes a PDF of so many bytes in a format, and gives how many pages came of it.
	Convert(ctx context.Context, in io.ReadSeeker, size int64, to string, options job.Options, able map[string][]string,
		out io.Writer) (pages int, err error)
}

// Config of a Room.
type Config struct {
	Store     Store
	Work      Work
	Devices   Devices
	Spool     Spool
	Converter Converter // nil converts nothing
	// Swept takes away kept documents that belong to no job; nil where there are none.
	Swept   func(older time.Duration, known func(ids []int64) (map[int64]bool, error)) (int, error)
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Process names this process among all on its store.
	Process string
	// Seats says for whom an agent may print.
	Seats interface {
		Sits(ctx context.Context, p *access.Principal, person string) (lineup.Query, error)
	}
	// Keys opens the keys that are meant for a device.
	Keys interface {
		KeysFor(w stock.Watch) []stock.Key
	}
	// Events keeps what an administrator is to find later.
	Events interface {
		AddEvent(ctx context.Context, e event.Event) error
	}
	// Lasts is how long a sender's hold of a job lasts when it is not renewed; Lasts when zero.
	Lasts time.Duration
	// Every is how often it is looked for work; a second when zero.
	Every time.Duration
}

// Lasts is how long a hold of a job lasts.
const Lasts = 20 * time.Second

// common is what the room and its workers share.
type common struct {
	cfg     Config
	store   Store
	work    Work
	present *present.Present
	log     *slog.Logger
	now     func() time.Time

	hands    senders
	abouts   abouts
	wake     chan struct{} // of capacity 1: there may be work
	counting chan struct{} // holds as many as PDFs are counted at once
}

// A Room is safe for any number of goroutines.
type Room struct {
	*common
	sender  *sender
	times   *times
	ids     numbers
	feeding feeding
}

// New furnishes the room.
func New(cfg Config) *Room {
	if cfg.Lasts == 0 {
		cfg.Lasts = Lasts
	}
	if cfg.Every == 0 {
		cfg.Every = time.Second
	}
	c := &common{cfg: cfg, store: cfg.Store, work: cfg.Work, present: cfg.Present, log: cfg.Log, now: cfg.Now,
		wake: make(chan struct{}, 1), counting: make(chan struct{}, 2)}
	c.hands.at, c.hands.busy, c.hands.began = map[int64]*sending{}, map[string]int{}, map[string]time.Time{}
	c.abouts.at = map[string]aboutAt{}
	return &Room{common: c, sender: &sender{common: c}, times: &times{c}, ids: numbers{more: make(chan block, 1)}}
}

// Workers are those of the room.
func (r *Room) Workers() []worker.Worker {
	if r.cfg.Devices == nil || r.cfg.Spool == nil {
		return nil
	}
	return []worker.Worker{{Name: "jobs", Run: r.sender.dispatch}, {Name: "job-leases", Run: r.sender.renew},
		{Name: "job-times", Leased: true, Run: r.times.keepTimes}}
}

// look has the dispatcher look for work at once.
func (r *common) look() {
	select {
	case r.wake <- struct{}{}:
	default:
	}
}

// numbers hands out numbers of jobs, of which it takes a block at a time; the next one before the last has run out.
type numbers struct {
	mu   sync.Mutex
	next int64 // guarded by mu, as is left
	left int
	more chan block // of capacity 1: a block that was taken beforehand, or is being taken where asking
	ask  sync.Mutex // held while one is being taken
}

type block struct {
	first int64
	count int
}

func (n *numbers) take(ctx context.Context, s Store) (int64, error) {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.left == 0 {
		select {
		case b := <-n.more:
			n.next, n.left = b.first, b.count
		default:
			first, count, err := s.JobNumbers(ctx)
			if err != nil {
				return 0, err
			}
			n.next, n.left = first, count
		}
	}
	n.next, n.left = n.next+1, n.left-1
	if n.left == beforehand {
		go n.fetch(context.WithoutCancel(ctx), s)
	}
	return n.next - 1, nil
}

// beforehand is how many numbers are left when the next block is taken.
const beforehand = 8

func (n *numbers) fetch(ctx context.Context, s Store) {
	if !n.ask.TryLock() {
		return
	}
	defer n.ask.Unlock()
	if len(n.more) > 0 {
		return
	}
	if first, count, err := s.JobNumbers(ctx); err == nil { // else whoever needs one hears of it
		n.more <- block{first, count}
	}
}

// signIn is the key with which a device is asked, where one is stored for it.
func (r *common) signIn(device, uri string) *stock.Key {
	return stock.SignInOf(r.cfg.Keys.KeysFor(stock.Watch{Kind: stock.KindDevice, Name: device, URI: uri}))
}
