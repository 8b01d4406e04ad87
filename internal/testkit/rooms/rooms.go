// Package rooms furnishes what a room of the service looks at, without a database: an estate, a directory, live state,
// accesses and a clock that stands still, each set by the test.
package rooms

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/stock"
	"cirque/internal/service/present"
)

// World is what is decided and seen, and the store that tells of it. A test changes it and then calls Present.Refresh.
type World struct {
	Present *present.Present

	mu      sync.Mutex
	now     time.Time
	revs    []*estate.Document // revision N is revs[N-1]
	records directory.Records
	version int64

	// What else is read; to be changed before Refresh.
	State        live.State
	Accesses     access.State
	StockWatches []stock.Watch
	StockKept    []stock.Kept
	Keys         []stock.Credential
	Sealed       map[string][]byte
	DriverPacks  []driver.Package

	// Known takes a time as of which everything is known, where Present.Listen runs, and gives it back once it is.
	Known chan time.Time
}

// Quiet is a log that keeps nothing.
var Quiet = slog.New(slog.DiscardHandler)

// Start is when the clock stands still at first: a Monday.
var Start = time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)

// New makes a world whose first revision is an estate in YAML, and whose directory has some records.
func New(t testing.TB, estateYAML string, records directory.Records) *World {
	t.Helper()
	w := &World{now: Start, records: records, version: 1, Sealed: map[string][]byte{}, Known: make(chan time.Time),
		Accesses: access.State{Accounts: map[string]access.Account{}}}
	w.Publish(t, estateYAML)
	var err error
	if w.Present, err = present.New(t.Context(), present.Config{Decided: w, Seen: w, Signals: w, Now: w.Now}); err != nil {
		t.Fatal(err)
	}
	return w
}

// Publish adds a revision; Refresh with event.Estate shows it.
func (w *World) Publish(t testing.TB, text string) {
	t.Helper()
	doc, err := estate.Parse([]document.File{{Name: "e.yaml", Text: text}}, estate.Options{})
	if err != nil {
		t.Fatal(err, fault.As(err).Details)
	}
	w.PublishDocument(doc)
}

// PublishDocument is Publish of a document that is read already.
func (w *World) PublishDocument(doc *estate.Document) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.revs = append(w.revs, doc)
}

// Import replaces the directory.
func (w *World) Import(records directory.Records) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.records, w.version = records, w.version+1
}

// Refresh shows what was changed.
func (w *World) Refresh(t testing.TB) {
	t.Helper()
	if err := w.Present.Refresh(t.Context(), event.Signal{What: event.Lost}); err != nil {
		t.Fatal(err)
	}
}

// Now is the clock; Pass moves it.
func (w *World) Now() time.Time {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.now
}

// Pass lets time pass.
func (w *World) Pass(d time.Duration) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.now = w.now.Add(d)
}

// Who gives somebody with a role, at sites where any are given.
func Who(role access.Role, sites ...string) *access.Principal {
	return &access.Principal{Name: "mira", Account: "mira", Role: role, Sites: sites}
}

// Revision gives one of the revisions; it and what follows make a World a store of what is decided and seen.
func (w *World) Revision(_ context.Context, number int) (estate.Revision, *estate.Document, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if number < 1 || number > len(w.revs) {
		return estate.Revision{}, nil, fault.New(fault.Unknown, "revision-unknown", "", "there is no revision %d", number)
	}
	at := Start
	return estate.Revision{Number: number, Author: "mira", Reason: "because", At: &at}, w.revs[number-1], nil
}

// Current gives the newest revision.
func (w *World) Current(ctx context.Context) (estate.Revision, *estate.Document, error) {
	w.mu.Lock()
	n := len(w.revs)
	w.mu.Unlock()
	return w.Revision(ctx, n)
}

// CurrentRevision gives the newest without its document.
func (w *World) CurrentRevision(ctx context.Context) (estate.Revision, error) {
	r, _, err := w.Current(ctx)
	return r, err
}

// Revisions lists them, newest first.
func (w *World) Revisions(ctx context.Context, limit int) ([]estate.Revision, error) {
	w.mu.Lock()
	n := len(w.revs)
	w.mu.Unlock()
	var out []estate.Revision
	for ; n > 0 && len(out) < limit; n-- {
		r, _, err := w.Revision(ctx, n)
		if err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, nil
}

// RevisionAt gives the one that was current.
func (w *World) RevisionAt(context.Context, time.Time) (int, error) { return 1, nil }

// Directory gives the records.
func (w *World) Directory(context.Context, *time.Time) (directory.Records, int64, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.records, w.version, nil
}

// DirectoryVersion gives the number of the last import.
func (w *World) DirectoryVersion(context.Context) (int64, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.version, nil
}

// Live gives the live state.
func (w *World) Live(context.Context, *time.Time) (live.State, error) { return w.State, nil }

// Access gives who has access.
func (w *World) Access(context.Context) (access.State, error) { return w.Accesses, nil }

// Watches gives what is registered.
func (w *World) Watches(context.Context) ([]stock.Watch, error) { return w.StockWatches, nil }

// Readings gives what was read.
func (w *World) Readings(context.Context, string, string) ([]stock.Kept, error) {
	return w.StockKept, nil
}

// Found gives nothing.
func (w *World) Found(context.Context) ([]stock.Unlisted, error) { return nil, nil }

// Reservations gives none.
func (w *World) Reservations(context.Context) ([]stock.Reservation, error) { return nil, nil }

// Captures gives none.
func (w *World) Captures(context.Context) ([]stock.Capture, error) { return nil, nil }

// Credentials gives the keys.
func (w *World) Credentials(context.Context) ([]stock.Credential, map[string][]byte, error) {
	return w.Keys, w.Sealed, nil
}

// Packages gives the packages of drivers.
func (w *World) Packages(context.Context) ([]driver.Package, error) { return w.DriverPacks, nil }

// Listen hears nothing until ctx is done, but what Known says.
func (w *World) Listen(ctx context.Context, _ func(event.Signal), current func(time.Time), _ func(error)) {
	for {
		select {
		case <-ctx.Done():
			return
		case at := <-w.Known:
			current(at)
			w.Known <- at
		}
	}
}

// Leases grants whatever is asked for: to a process that is alone.
type Leases struct{}

// Claim takes leases.
func (Leases) Claim(_ context.Context, _ string, names []string, _ time.Duration) (map[string]int64, error) {
	out := map[string]int64{}
	for _, n := range names {
		out[n] = 1
	}
	return out, nil
}

// Release gives them back.
func (Leases) Release(context.Context, string, []string) error { return nil }

// Seats lets agents speak for the people that it holds, and for nobody else; nil lets them speak for all.
type Seats []string

// Check looks at each person who is asked about.
func (s Seats) Check(ctx context.Context, p *access.Principal, queries ...lineup.Query) error {
	for _, q := range queries {
		if q.User != nil {
			if _, err := s.Sits(ctx, p, *q.User); err != nil {
				return err
			}
		}
	}
	return nil
}

// Sits looks at one person.
func (s Seats) Sits(_ context.Context, p *access.Principal, person string) (seat lineup.Query, err error) {
	if s == nil || p == nil || p.Role != access.Agent || slices.Contains(s, person) {
		return lineup.Query{User: &person, Machine: &p.Machine}, nil
	}
	return seat, fault.New(fault.Denied, "not-signed-in-there", "", "%s has not reported %s", p.Machine, person)
}
