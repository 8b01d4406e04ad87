package places

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/driver"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/service/present"
	"cirque/internal/testkit/rooms"
)

// yard is a store, the way to one place, and a shelf of packages.
type yard struct {
	mu      sync.Mutex
	places  []driver.PlaceView
	fetches []driver.Fetch
	stop    map[int64]bool
	events  []event.Event
	hub     *present.Hub

	files map[string]string
	fails error
	wait  bool // it falls silent in the middle of an archive
	asked int
	taken []driver.Archive
}

func (y *yard) list() (b []byte) {
	for name, text := range y.files {
		b = fmt.Appendf(b, "%x  %s\n", sha256.Sum256([]byte(text)), name)
	}
	return b
}

func (y *yard) Look(context.Context, driver.Place) (l driver.Look, err error) {
	y.mu.Lock()
	defer y.mu.Unlock()
	y.asked++
	if err = y.fails; err == nil {
		l.Offers, l.Others, l.Problems, err = driver.ParseSums(y.list())
	}
	return l, err
}

func (y *yard) askedSoFar() int {
	y.mu.Lock()
	defer y.mu.Unlock()
	return y.asked
}

func (y *yard) Archive(ctx context.Context, _ driver.Place, file string, tell func(got, total int64)) ([]byte, error) {
	y.mu.Lock()
	text, wait, err := y.files[file], y.wait, y.fails
	y.mu.Unlock()
	tell(1, int64(len(text)))
	if wait {
		<-ctx.Done()
		return nil, fault.New(fault.Unavailable, "broke-off", "", "it broke off")
	}
	return []byte(text), err
}

func (y *yard) TakePackage(ctx context.Context, _, name, _ string, archive []byte, from driver.Archive,
	dry bool) (driver.Package, bool, error) {
	switch string(archive) {
	case "poison":
		panic("nobody thought of this")
	case "late": // whoever stops it comes too late
		<-ctx.Done()
	}
	y.mu.Lock()
	defer y.mu.Unlock()
	if !dry {
		y.taken = append(y.taken, from)
	}
	return driver.Package{Name: name, Digest: "digest of " + string(archive), Files: make([]driver.Entry, 3),
		Models: make([]driver.Model, 2)}, false, nil
}

func (y *yard) Places(context.Context) ([]driver.PlaceView, error) {
	y.mu.Lock()
	defer y.mu.Unlock()
	return slices.Clone(y.places), nil
}

func (y *yard) SavePlace(_ context.Context, v driver.Place, l driver.Look, e event.Event) error {
	y.mu.Lock()
	defer y.mu.Unlock()
	y.places = append(slices.DeleteFunc(y.places, func(k driver.PlaceView) bool { return k.Name == v.Name }),
		driver.PlaceView{Place: v, Look: l})
	y.events = append(y.events, e)
	return nil
}

func (y *yard) SaveLook(_ context.Context, v driver.Place, l driver.Look, events ...event.Event) error {
	y.mu.Lock()
	defer y.mu.Unlock()
	for i := range y.places {
		if y.places[i].Name == v.Name {
			y.places[i].Look = l
		}
	}
	y.events = append(y.events, events...)
	return nil
}

func (y *yard) RemovePlace(_ context.Context, _ string, e event.Event) error {
	y.places, y.events = nil, append(y.events, e)
	return nil
}

func (y *yard) AddFetch(_ context.Context, v driver.Fetch, _ event.Event) (driver.Fetch, error) {
	y.mu.Lock()
	defer y.mu.Unlock()
	v.ID, v.State = int64(len(y.fetches)+1), driver.FetchWaiting
	y.fetches = append(y.fetches, v)
	y.hub.Send(event.Signal{What: event.Places})
	return v, nil
}

func (y *yard) BeginFetch(context.Context) (*driver.Fetch, error) {
	y.mu.Lock()
	defer y.mu.Unlock()
	for _, f := range y.fetches {
		if !f.Over() {
			return &f, nil
		}
	}
	return nil, nil
}

func (y *yard) SaveFetch(_ context.Context, v driver.Fetch) (bool, error) {
	y.mu.Lock()
	defer y.mu.Unlock()
	y.fetches[v.ID-1] = v
	return y.stop[v.ID], nil
}

func (y *yard) Fetches(context.Context, string, int) ([]driver.Fetch, error) {
	y.mu.Lock()
	defer y.mu.Unlock()
	return slices.Clone(y.fetches), nil
}

func (y *yard) FetchOf(_ context.Context, place string, id int64) (driver.Fetch, error) {
	return driver.Fetch{}, fault.New(fault.Unknown, "fetch-unknown", "", "nothing from %s under %d", place, id)
}

func (y *yard) LookedInto(context.Context) (map[string]driver.Inside, error) { return nil, nil }

func (y *yard) StopFetch(_ context.Context, _ string, id int64, _ event.Event) error {
	y.mu.Lock()
	defer y.mu.Unlock()
	y.stop[id] = true
	return nil
}

func (y *yard) kinds() []string {
	var out []string
	for _, e := range y.events {
		out = append(out, e.Kind)
	}
	return out
}

var keeper = rooms.Who(access.Administrator)

func furnish(t *testing.T) (*Room, *yard) {
	t.Helper()
	w := rooms.New(t, "{estate: 1}", directory.Records{})
	y := &yard{stop: map[int64]bool{}, hub: w.Present.Hub, files: map[string]string{"a.zip": "one", "b.zip": "two"}}
	return New(Config{Store: y, Ways: y, Packages: y, Present: w.Present, Now: time.Now,
		Log: slog.New(slog.DiscardHandler)}), y
}

// TestKeepPlace: what is entered is tried at once, and kept only where it answers as a place does.
func TestKeepPlace(t *testing.T) {
	t.Parallel()
	r, y := furnish(t)
	in := driver.Place{Name: "head-office", URL: "https://drivers.example/a"}
	v, list, err := r.KeepPlace(t.Context(), keeper, in, true)
	if err != nil || len(list) != 2 || v.New != 2 || v.URL != "https://drivers.example/a/" || len(y.places) != 0 {
		t.Errorf("tried: %+v %v %v", v, list, err)
	}
	y.fails = fault.New(fault.Unavailable, "silent", "look", "it does not answer")
	if _, _, err := r.KeepPlace(t.Context(), keeper, in, false); fault.As(err).Code != "silent" || len(y.places) != 0 {
		t.Error(err)
	}
	y.fails, y.files = nil, nil
	if _, _, err := r.KeepPlace(t.Context(), keeper, in, false); fault.As(err).Code != "place-empty" ||
		len(y.places) != 0 {
		t.Error(err)
	}
	y.files = map[string]string{"a.zip": "one"}
	if _, _, err := r.KeepPlace(t.Context(), keeper, in, false); err != nil || len(y.places) != 1 {
		t.Error(err)
	}
	for code, bad := range map[string]driver.Place{"place-name": {Name: "Head Office", URL: in.URL},
		"place-invalid": {Name: "x", URL: "http://drivers.example"}} {
		if _, _, err := r.KeepPlace(t.Context(), keeper, bad, false); fault.As(err) == nil || fault.As(err).Code != code {
			t.Errorf("%s: %v", code, err)
		}
	}
	help := rooms.Who(access.HelpDesk)
	for _, err := range []error{
		second(r.KeepPlace(t.Context(), help, in, false)), second(r.LookAt(t.Context(), help, "head-office")),
		r.RemovePlace(t.Context(), help, "head-office"), r.StopFetch(t.Context(), help, "head-office", 1),
		func() error { _, err := r.Fetch(t.Context(), help, "head-office", "a.zip", "", false); return err }(),
	} {
		if !fault.Is(err, fault.Denied) {
			t.Error(err)
		}
	}
	none := New(Config{Store: y, Present: r.cfg.Present, Now: time.Now})
	if _, _, err := none.KeepPlace(t.Context(), keeper, in, false); fault.As(err).Code != "no-places" ||
		none.Workers() != nil {
		t.Error(err)
	}
}

func second[A, B any](_ A, _ B, err error) error { return err }

// TestLooks: a failure stands beside what was seen before and is told once, as its end is; what is offered anew is told.
func TestLooks(t *testing.T) {
	t.Parallel()
	r, y := furnish(t)
	if _, _, err := r.KeepPlace(t.Context(), keeper, driver.Place{Name: "p", URL: "https://drivers.example/"},
		false); err != nil {
		t.Fatal(err)
	}
	y.fails = errors.New("nobody there")
	for range 2 {
		if _, _, err := r.LookAt(t.Context(), keeper, "p"); err == nil {
			t.Fatal("a failure is no error")
		}
	}
	if l := y.places[0].Look; l.Error == nil || len(l.Offers) != 2 || !l.Tried.After(l.At) {
		t.Errorf("%+v", l)
	}
	y.fails, y.files["b.zip"], y.files["c.zip"] = nil, "another two", "three"
	v, list, err := r.LookAt(t.Context(), keeper, "p")
	if err != nil || len(list) != 3 || v.Look.Error != nil {
		t.Errorf("%+v %v %v", v, list, err)
	}
	if got := strings.Join(y.kinds(), " "); got != "driver.place-kept driver.place-fails driver.place-answers "+
		"driver.place-offers" {
		t.Error(got)
	}
	if e := y.events[3]; !strings.HasSuffix(e.Says, "2 archives that it did not before: b.zip, c.zip") {
		t.Error(e.Says)
	}
	if _, _, err := r.LookAt(t.Context(), keeper, "q"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}

// TestFetches: an archive is fetched in the background, held against its checksum and kept, or only looked into; what
// goes wrong is told; what is stopped keeps nothing; and what a process left in the middle begins anew.
func TestFetches(t *testing.T) {
	t.Parallel()
	synctest.Test(t, func(t *testing.T) {
		r, y := furnish(t)
		if _, _, err := r.KeepPlace(t.Context(), keeper, driver.Place{Name: "p", URL: "https://drivers.example/"},
			false); err != nil {
			t.Fatal(err)
		}
		ctx, end := context.WithCancel(t.Context())
		ended := make(chan error, 1)
		work := func() { ended <- r.Workers()[0].Run(ctx) }
		go work()
		fetch := func(file string, dry bool) driver.Fetch {
			f, err := r.Fetch(t.Context(), keeper, "p", file, "", dry)
			if err != nil {
				t.Fatal(err)
			}
			synctest.Wait()
			return y.fetches[f.ID-1]
		}
		if f := fetch("a.zip", true); f.State != driver.FetchDone || f.Package == nil || f.Package.Files != nil ||
			f.Name != "a" || len(y.taken) != 0 {
			t.Errorf("looked into: %+v, %v", f, y.taken)
		}
		if f := fetch("a.zip", false); f.State != driver.FetchDone || f.Got != 1 || f.Total != 3 || len(y.taken) != 1 ||
			y.taken[0].File != "a.zip" || y.taken[0].Place != "p" {
			t.Errorf("kept: %+v, %v", f, y.taken)
		}
		y.files["c.zip"] = "poison"
		if _, _, err := r.LookAt(t.Context(), keeper, "p"); err != nil {
			t.Fatal(err)
		}
		if f := fetch("c.zip", false); f.State != driver.FetchFailed || f.Says != "c.zip cannot be taken in" {
			t.Errorf("poison: %+v", f)
		}
		y.files["a.zip"] = "other"
		if f := fetch("a.zip", false); f.State != driver.FetchFailed || f.Code != "checksum-differs" || len(y.taken) != 1 {
			t.Errorf("other than its checksum: %+v", f)
		}
		y.fails = fault.New(fault.Unavailable, "silent", "look", "it does not answer")
		if f := fetch("b.zip", false); f.State != driver.FetchFailed || f.Code != "silent" || f.Fix != "look" {
			t.Errorf("silent: %+v", f)
		}
		y.fails, y.wait = nil, true
		f := fetch("b.zip", false)
		if f.State != driver.FetchRunning {
			t.Errorf("under way: %+v", f)
		}
		if err := r.StopFetch(t.Context(), keeper, "p", f.ID); err != nil {
			t.Error(err)
		}
		time.Sleep(time.Second) // of the bubble's clock
		synctest.Wait()
		if f := y.fetches[f.ID-1]; f.State != driver.FetchStopped || len(y.taken) != 1 {
			t.Errorf("stopped: %+v", f)
		}
		y.wait, y.files["d.zip"] = false, "late"
		if _, _, err := r.LookAt(t.Context(), keeper, "p"); err != nil {
			t.Fatal(err)
		}
		late := fetch("d.zip", false)
		if err := r.StopFetch(t.Context(), keeper, "p", late.ID); err != nil {
			t.Error(err)
		}
		time.Sleep(time.Second) // of the bubble's clock
		synctest.Wait()
		if f := y.fetches[late.ID-1]; f.State != driver.FetchDone || len(y.taken) != 2 {
			t.Errorf("stopped once it was kept: %+v", f)
		}
		y.wait = true
		f = fetch("b.zip", false)
		end()
		<-ended
		if f := y.fetches[f.ID-1]; f.State != driver.FetchRunning {
			t.Errorf("left in the middle: %+v", f)
		}
		y.wait = false
		ctx, end = context.WithCancel(t.Context())
		go work()
		synctest.Wait()
		if f := y.fetches[f.ID-1]; f.State != driver.FetchDone || len(y.taken) != 3 {
			t.Errorf("begun anew: %+v", f)
		}
		asked := y.askedSoFar()
		time.Sleep(2*driver.LookEvery + time.Minute)
		synctest.Wait()
		if n := y.askedSoFar() - asked; n != 2 {
			t.Errorf("in two days it was asked %d times", n)
		}
		end()
		<-ended
	})
}

// TestFetchUnknown: a file that is not offered is answered with one that nearly has its name.
func TestFetchUnknown(t *testing.T) {
	t.Parallel()
	r, y := furnish(t)
	y.files["mono-40-3.1.zip"] = "x"
	if _, _, err := r.KeepPlace(t.Context(), keeper, driver.Place{Name: "p", URL: "https://drivers.example/"},
		false); err != nil {
		t.Fatal(err)
	}
	_, err := r.Fetch(t.Context(), keeper, "p", "mono-40-31.zip", "", false)
	if f := fault.As(err); f == nil || f.Kind != fault.Unknown || !strings.Contains(f.Fix, "mono-40-3.1.zip") {
		t.Error(err)
	}
	if _, err := r.Fetch(t.Context(), keeper, "q", "a.zip", "", false); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if _, err := r.FetchOf(t.Context(), keeper, "p", 9); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}
