package adverts

import (
	"context"
	"errors"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	"cirque/core/advert"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/service/worker"
	"cirque/internal/testkit/rooms"
)

// where is a directory's entries, and the store of what is Cirque's there.
type where struct {
	Store
	mu      sync.Mutex
	sources []directory.Source
	there   []string // names of the queues that have entries
	mine    []string
	kept    []advert.Listing
	events  []event.Event
	passes  int
	fails   error
}

func (*where) FindPrinters(context.Context, directory.Source, string, advert.Seek, int) ([]advert.Found, bool, error) {
	return nil, false, nil
}

func (*where) RemovePrinter(context.Context, directory.Source, string, string) error { return nil }

func (d *where) Sources(context.Context) ([]directory.Source, map[string][]byte, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	return slices.Clone(d.sources), nil, nil
}

func (d *where) Listings(context.Context) ([]advert.Listing, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	return slices.Clone(d.kept), nil
}

func (d *where) Listed(context.Context, string) ([]string, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	return slices.Clone(d.mine), nil
}

func (d *where) ClaimEntry(_ context.Context, _, dn string) error {
	d.mine = append(d.mine, dn)
	return nil
}

func (d *where) ReleaseEntry(_ context.Context, _, dn string) error {
	d.mine = slices.DeleteFunc(d.mine, func(n string) bool { return n == dn })
	return nil
}

func (d *where) SaveListing(_ context.Context, l advert.Listing, events []event.Event) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.kept, d.events = []advert.Listing{l}, append(d.events, events...)
	return nil
}

func (d *where) ForgetListing(context.Context, string) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.kept = nil
	return nil
}

func (*where) SourcePassword(directory.Source, []byte) (string, error) { return "secret", nil }

// ListLDAP makes what is there what is to be there.
func (d *where) ListLDAP(_ context.Context, s directory.Source, password string, entries []advert.Entry, mine []string,
	claim, release func(dn string) error) (p advert.Pass, err error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.passes++
	if d.fails != nil {
		return p, d.fails
	}
	if password != "secret" {
		return p, errors.New("another password")
	}
	var want []string
	for _, e := range entries {
		want = append(want, e.Queue)
	}
	for _, n := range want {
		if slices.Contains(d.there, n) {
			p.Unchanged++
			continue
		}
		p.Added++
		if err := claim(n + "," + s.ListUnder); err != nil {
			return p, err
		}
	}
	for _, n := range d.there {
		if !slices.Contains(want, n) {
			p.Removed++
			if err := release(n + "," + s.ListUnder); err != nil {
				return p, err
			}
		}
	}
	d.there = want
	return p, nil
}

func (d *where) now() (there string, passes int, says []string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	for _, e := range d.events {
		says = append(says, e.Kind+": "+e.Says)
	}
	return strings.Join(d.there, " "), d.passes, says
}

const listed = `{estate: 1, queues: [{name: hall, paths: [{gateway: true}], listed: true}QUEUE]}`

func furnish(t *testing.T) (*Room, *where, *rooms.World) {
	t.Helper()
	w := rooms.New(t, strings.Replace(listed, "QUEUE", "", 1), directory.Records{})
	d := &where{sources: []directory.Source{{Name: "hq", ListUnder: "ou=print,dc=hq,dc=example"}, {Name: "other"}}}
	r := New(Config{Dir: d, Store: d, Present: w.Present, Log: rooms.Quiet, Now: w.Now, Passwords: d,
		PublicURL: "https://cirque.example", Runner: worker.New(worker.Config{Leases: rooms.Leases{}, Holder: "here"})})
	return r, d, w
}

// TestListAll: entries follow the estate soon after it changes, and are looked at again where nothing changes; what
// fails is said once, and so is that it goes again.
func TestListAll(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		r, d, w := furnish(t)
		ctx, stop := context.WithCancel(t.Context())
		defer stop()
		go func() {
			if err := r.Workers()[0].Run(ctx); err != nil {
				t.Error(err)
			}
		}()
		expect := func(what, there string, passes int, last string) {
			t.Helper()
			synctest.Wait()
			got, n, says := d.now()
			if got != there || n != passes || len(says) > 0 && !strings.HasPrefix(says[len(says)-1], last) {
				t.Errorf("%s: %q there after %d passes, %q; want %q after %d, %q", what, got, n, says, there, passes, last)
			}
		}
		expect("at first", "hall", 1, event.Listed)
		w.Publish(t, strings.Replace(listed, "QUEUE", ", {name: shop, paths: [{gateway: true}], listed: true}", 1))
		w.Refresh(t)
		w.Present.Hub.Send(event.Signal{What: event.Estate})
		time.Sleep(2 * listGather)
		expect("after a change", "hall shop", 2, event.Listed)
		w.Present.Hub.Send(event.Signal{What: event.Stock})
		time.Sleep(2 * listGather)
		expect("after a change of something else", "hall shop", 2, event.Listed)
		d.mu.Lock()
		d.fails = fault.New(fault.Denied, "directory-refused", "give the account the right to write", "it may not write")
		before := len(d.events)
		d.mu.Unlock()
		time.Sleep(2*listEvery + time.Second)
		expect("while it fails", "hall shop", 4, event.ListingBad)
		d.mu.Lock()
		if len(d.events) != before+1 || d.kept[0].Code != "directory-refused" || d.kept[0].Fix == "" {
			t.Errorf("it is said %d times: %+v", len(d.events)-before, d.kept)
		}
		d.fails = nil
		d.mu.Unlock()
		time.Sleep(listEvery)
		expect("once it goes again", "hall shop", 5, event.ListingGood)
		list, err := r.Listings(t.Context(), rooms.Who(access.Auditor))
		if err != nil || len(list) != 1 || list[0].Says != "2 entries are below ou=print,dc=hq,dc=example" {
			t.Errorf("%+v %v", list, err)
		}
	})
}

// TestWithdraw: every entry is taken out before what makes it stay out is done, and that is not done where it fails.
func TestWithdraw(t *testing.T) {
	t.Parallel()
	r, d, _ := furnish(t)
	d.there = []string{"hall"}
	d.mine = []string{"hall,ou=print,dc=hq,dc=example"}
	done := 0
	then := func() error {
		done++
		return nil
	}
	d.fails = fault.New(fault.Unavailable, "directory-away", "look at it", "it does not answer")
	if err := r.Withdraw(t.Context(), d.sources[0], nil,
		then); fault.As(err) == nil || fault.As(err).Code != "directory-away" ||
		!strings.Contains(fault.As(err).Fix, "cannot be withdrawn") || done != 0 {
		t.Error(done, err)
	}
	d.fails = nil
	if err := r.Withdraw(t.Context(), d.sources[0], nil, then); err != nil || done != 1 || len(d.there)+len(d.mine) != 0 ||
		d.kept != nil {
		t.Error(done, d.there, d.mine, d.kept, err)
	}
	if _, err := r.Listings(t.Context(), &access.Principal{Name: "x", Role: access.Agent}); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
	if len(New(Config{}).Workers()) != 0 {
		t.Error("it works without anything that speaks to directories")
	}
}
