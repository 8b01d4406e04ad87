package stock

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

// shelf is the store, and the network on which printers answer by host.
type shelf struct {
	Store
	w       *rooms.World
	mu      sync.Mutex
	servers map[string]*stock.Server
	devices map[string]*stock.Device
	jobs    map[string][]stock.Job // by queue
	asked   []string
	events  []event.Event
	found   []stock.Unlisted
	scans   []stock.Scan
	stop    bool
}

func (s *shelf) ReadServer(_ context.Context, uri string, _ *stock.Key, _ *stock.Server) (*stock.Server, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked = append(s.asked, stock.Host(uri))
	if v := s.servers[stock.Host(uri)]; v != nil {
		out := *v
		return &out, nil
	}
	return nil, fault.New(fault.Unavailable, "refused", "see that it runs", "nothing listens at %s", stock.Host(uri))
}

func (s *shelf) ReadDevice(_ context.Context, uri string, _ []stock.Key) (*stock.Device, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked = append(s.asked, stock.Host(uri))
	if d := s.devices[stock.Host(uri)]; d != nil {
		out := *d
		return &out, nil
	}
	return nil, fault.New(fault.Unavailable, "silent", "see that it is on", "%s does not answer", stock.Host(uri))
}

func (s *shelf) TestLine(_ context.Context, l stock.Line) stock.Line {
	l.Resolved = "yes"
	for i := range l.Ports {
		l.Ports[i].State = "open"
	}
	return l
}

func (s *shelf) ReadJobs(_ context.Context, uri string, _ *stock.Key, _ bool, _ int) ([]stock.Job, error) {
	return s.jobs[uri[strings.LastIndexByte(uri, '/')+1:]], nil
}

func (*shelf) KeysFor(stock.Watch) []stock.Key                  { return nil }
func (*shelf) NoteKeys(context.Context, []stock.Key)            {}
func (s *shelf) Forget(context.Context, []string, string) error { return nil }

func (s *shelf) SaveWatch(_ context.Context, w stock.Watch, e event.Event) error {
	s.events = append(s.events, e)
	s.w.StockWatches = append(slices.DeleteFunc(s.w.StockWatches, func(o stock.Watch) bool {
		return o.Kind == w.Kind && o.Name == w.Name
	}), w)
	return nil
}

func (s *shelf) RemoveWatch(_ context.Context, kind, name string, e event.Event) error {
	s.events = append(s.events, e)
	s.w.StockWatches = slices.DeleteFunc(s.w.StockWatches,
		func(o stock.Watch) bool { return o.Kind == kind && o.Name == name })
	return nil
}

func (s *shelf) SaveReading(_ context.Context, k stock.Kept, _ bool, events []event.Event) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.events = append(s.events, events...)
	s.w.StockKept = append(slices.DeleteFunc(s.w.StockKept, func(o stock.Kept) bool {
		return o.Kind == k.Kind && o.Name == k.Name
	}), k)
	return nil
}

func (s *shelf) AddEvent(_ context.Context, e event.Event) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.events = append(s.events, e)
	return nil
}

func (s *shelf) Scans(context.Context) ([]stock.Scan, error) { return s.scans, nil }

func (s *shelf) AddScan(_ context.Context, c stock.Scan, e event.Event) (stock.Scan, error) {
	c.ID, c.State = int64(len(s.scans)+1), "running"
	s.scans, s.events = append(s.scans, c), append(s.events, e)
	return c, nil
}

func (s *shelf) SaveScan(_ context.Context, c stock.Scan) (bool, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.scans[c.ID-1] = c
	return s.stop, nil
}

func (s *shelf) SaveFound(_ context.Context, list []stock.Unlisted) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.found = append(s.found, list...)
	return nil
}

// kinds are those of the events since the last time.
func (s *shelf) kinds() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	var out []string
	for _, e := range s.events {
		out = append(out, e.Kind)
	}
	s.events = nil
	return strings.Join(out, " ")
}

func furnish(t *testing.T) (*Room, *shelf) {
	t.Helper()
	w := rooms.New(t, `{estate: 1, locations: [{path: north}], servers: [{name: ps-1, uri: "ipp://ps-1.example/",
		location: north}],
		devices: [{name: lift, uri: "ipp://192.0.2.9/ipp/print"}], queues: [{name: hall, paths: [{server: ps-1}],
			devices: [lift]}]}`,
		directory.Records{})
	s := &shelf{w: w, servers: map[string]*stock.Server{"ps-1.example": {Queues: []stock.Queue{{Name: "hall",
		URI:   "ipp://localhost/printers/hall",
		State: "idle", Jobs: 2}}},
		"ps-2.example": {}}, devices: map[string]*stock.Device{"192.0.2.20": {Name: "Shop floor", Model: "Skerry 20",
		URI: "ipp://192.0.2.20/ipp/print", MAC: "02:00:5e:10:00:20", Serial: "S20"}, "192.0.2.9": {Model: "Skerry 9",
		Serial: "S9"}}}
	return New(Config{Prober: s, Store: s, Present: w.Present, Log: rooms.Quiet, Now: w.Now, Keys: s, KeyNotes: s}), s
}

var keeper = rooms.Who(access.Administrator)

// TestRegister: what is registered is tried first, is kept without an answer only if somebody insists, and takes what
// the device says of itself.
func TestRegister(t *testing.T) {
	t.Parallel()
	r, s := furnish(t)
	d, err := r.AddDevice(t.Context(), keeper, stock.Watch{URI: "192.0.2.20"}, false)
	if err != nil || d.Name != "shop-floor" || d.URI != "ipp://192.0.2.20/ipp/print" || d.MAC != "02:00:5e:10:00:20" ||
		!d.Registered || d.InEstate || d.Check == nil || !d.Check.OK {
		t.Fatalf("%+v %v", d, err)
	}
	v, err := r.AddServer(t.Context(), keeper, stock.Watch{URI: "ps-2.example", Title: " Second "}, false)
	if err != nil || v.Name != "ps-2" || v.Title != "Second" || v.URI != "ipp://ps-2.example/" {
		t.Fatalf("%+v %v", v, err)
	}
	if got := s.kinds(); got != event.Registered+" "+event.Registered {
		t.Error(got)
	}
	for code, c := range map[string]struct {
		w      stock.Watch
		anyway bool
	}{
		"silent":             {stock.Watch{URI: "192.0.2.99"}, false},
		"address-missing":    {stock.Watch{URI: "  "}, true},
		"address-invalid":    {stock.Watch{URI: "ipp://a b/"}, true},
		"name-invalid":       {stock.Watch{URI: "192.0.2.99", Name: "Shop Floor!"}, true},
		"mac-invalid":        {stock.Watch{URI: "192.0.2.99", MAC: "02:00"}, true},
		"kept-by-invalid":    {stock.Watch{URI: "192.0.2.99", AddressKeptBy: "luck"}, true},
		"credential-unknown": {stock.Watch{URI: "192.0.2.99", Credential: "none"}, true},
		"name-taken":         {stock.Watch{URI: "192.0.2.99", Name: "lift"}, true},
		"address-taken":      {stock.Watch{URI: "192.0.2.9", Name: "other"}, true},
	} {
		if _, err := r.AddDevice(t.Context(), keeper, c.w, c.anyway); fault.As(err) == nil || fault.As(err).Code != code ||
			fault.As(err).Fix == "" {
			t.Errorf("%s: %v", code, err)
		}
	}
	if _, err := r.AddDevice(t.Context(), keeper, stock.Watch{URI: "192.0.2.99"}, true); err != nil {
		t.Error("anyway:", err)
	}
	if _, err := r.AddServer(t.Context(), keeper, stock.Watch{URI: "192.0.2.9", Name: "x"}, true); fault.As(err) == nil ||
		fault.As(err).Code != "address-taken" {
		t.Error("a device's address as a server's:", err)
	}
	asked := len(s.asked)
	if _, err := r.AddDevice(t.Context(), rooms.Who(access.HelpDesk), stock.Watch{URI: "192.0.2.20"}, true); !fault.Is(err,
		fault.Denied) || len(s.asked) != asked {
		t.Error("somebody who may not has it asked:", err)
	}
	if err := r.Unregister(t.Context(), keeper, stock.KindServer, "ps-2"); err != nil {
		t.Error(err)
	}
	if _, err := r.ServerSheet(t.Context(), keeper, "ps-2"); !fault.Is(err, fault.Unknown) {
		t.Error("it is still there:", err)
	}
}

// TestRead: a failure is told once, and so is that it answers again; what was known stays meanwhile, with since when.
func TestRead(t *testing.T) {
	t.Parallel()
	r, s := furnish(t)
	s.jobs = map[string][]stock.Job{"hall": {{ID: 8, Name: "b"}, {ID: 7, Name: "a"}}}
	read := func(want string) stock.ServerSheet {
		t.Helper()
		s.w.Pass(time.Minute)
		if err := r.ReadNow(t.Context(), keeper, stock.KindServer, "ps-1"); err != nil {
			t.Fatal(err)
		}
		if got := s.kinds(); got != want {
			t.Errorf("told %q, want %q", got, want)
		}
		sheet, err := r.ServerSheet(t.Context(), keeper, "ps-1")
		if err != nil {
			t.Fatal(err)
		}
		return sheet
	}
	first := read("")
	if len(first.Queues) != 1 || !slices.Equal(first.Queues[0].Leads, []string{"hall"}) {
		t.Errorf("%+v", first.Queues)
	}
	if w := r.present.Stock().Server("ps-1").Server.Waiting; len(w) != 2 || w[0].ID != 7 || w[1].Queue != "hall" {
		t.Errorf("%+v", w)
	}
	was := s.servers["ps-1.example"]
	s.servers["ps-1.example"] = nil
	down := read(event.Fails)
	again := read("")
	if again.Check.OK || again.Check.Code != "refused" || !again.Check.Since.Equal(down.Check.Since) ||
		!again.Check.Answered.Equal(*first.Check.Answered) || len(again.Queues) != 1 {
		t.Errorf("%+v %+v", again.Check, again.Queues)
	}
	s.servers["ps-1.example"] = was
	if up := read(event.Answers); !up.Check.OK || !up.Check.Since.After(down.Check.Since) {
		t.Errorf("%+v", up.Check)
	}
}

// TestRecognise: another device at an address stays a difference until somebody says that it is meant.
func TestRecognise(t *testing.T) {
	t.Parallel()
	r, s := furnish(t)
	swapped := func(d stock.DeviceView) bool {
		return slices.ContainsFunc(d.Differs, func(x stock.Difference) bool { return x.Kind == "swapped" })
	}
	read := func() stock.DeviceView {
		t.Helper()
		if err := r.ReadNow(t.Context(), keeper, stock.KindDevice, "lift"); err != nil {
			t.Fatal(err)
		}
		d, err := r.Device(t.Context(), keeper, "lift")
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	if d := read(); d.Identity.Serial != "S9" || swapped(d) || !slices.Equal(d.Queues, []string{"hall"}) {
		t.Fatalf("%+v", d)
	}
	s.devices["192.0.2.9"] = &stock.Device{Model: "Skerry 30", Serial: "S30"}
	if d := read(); d.Identity.Serial != "S9" || !swapped(d) {
		t.Fatalf("%+v", d.Differs)
	}
	d, err := r.Recognise(t.Context(), keeper, "lift")
	if err != nil || d.Identity.Serial != "S30" || swapped(d) {
		t.Errorf("%+v %v", d, err)
	}
	if _, err := r.Recognise(t.Context(), keeper, "attic"); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
}

// TestDue: what answers is read after its interval, what has just failed soon, what has been away for long ever later.
func TestDue(t *testing.T) {
	t.Parallel()
	r, s := furnish(t)
	now := s.w.Now()
	ago := func(d time.Duration) time.Time { return now.Add(-d) }
	for what, c := range map[string]struct {
		l   stock.Listed
		due bool
	}{
		"never read":  {stock.Listed{}, true},
		"lately":      {stock.Listed{Check: &stock.Check{OK: true, At: ago(4 * time.Minute)}}, false},
		"a while ago": {stock.Listed{Check: &stock.Check{OK: true, At: ago(6 * time.Minute)}}, true},
		"failed just now": {stock.Listed{Check: &stock.Check{At: ago(30 * time.Second),
			Since: ago(30 * time.Second)}}, false},
		"failed a little ago": {stock.Listed{Check: &stock.Check{At: ago(80 * time.Second),
			Since: ago(80 * time.Second)}}, false},
		"failed two minutes ago": {stock.Listed{Check: &stock.Check{At: ago(2 * time.Minute),
			Since: ago(2 * time.Minute)}}, true},
		"away for a day": {stock.Listed{Check: &stock.Check{At: ago(2 * time.Minute),
			Since: ago(24 * time.Hour)}}, false},
		"away, and long ago": {stock.Listed{Check: &stock.Check{At: ago(6 * time.Minute),
			Since: ago(24 * time.Hour)}}, true},
	} {
		c.l.Kind, c.l.Name = stock.KindServer, "ps-1"
		if got := r.due(c.l); got != c.due {
			t.Errorf("%s: %v", what, got)
		}
	}
}

// TestScan asks each address at its pace, keeps what answers and nobody lists, and ends when somebody stops it.
func TestScan(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		r, s := furnish(t)
		ctx, stop := context.WithCancel(t.Context())
		defer stop()
		go func() { _ = r.Workers()[0].Run(ctx) }()
		if plan, err := r.PlanScan(ctx, keeper, []string{"192.0.2.16/29"},
			0); err != nil || plan.Total != 8 && plan.Total != 6 ||
			len(s.asked) != 0 {
			t.Fatalf("%+v %v, asked %v", plan, err, s.asked)
		}
		begin := time.Now()
		c, err := r.StartScan(ctx, keeper, []string{"192.0.2.16/29"}, 2)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := r.StartScan(ctx, keeper, []string{"192.0.2.64/29"}, 2); fault.As(err) == nil ||
			fault.As(err).Code != "scan-running" {
			t.Error("a second one:", err)
		}
		for s.state(c.ID) == "running" {
			time.Sleep(100 * time.Millisecond)
		}
		if took, n := time.Since(begin), c.Total; took < time.Duration(n-1)*500*time.Millisecond ||
			took > time.Duration(n+1)*500*time.Millisecond {
			t.Errorf("%d addresses took %v", n, took)
		}
		done := s.scans[0]
		if done.State != "done" || done.Done != c.Total || done.Found != 1 || len(s.found) != 1 ||
			s.found[0].Address != "192.0.2.20" {
			t.Errorf("%+v %+v", done, s.found)
		}
		if c, err = r.StartScan(ctx, keeper, []string{"198.51.100.0/24"}, 100); err != nil {
			t.Fatal(err)
		}
		s.mu.Lock()
		s.stop = true
		s.mu.Unlock()
		for s.state(c.ID) == "running" {
			time.Sleep(100 * time.Millisecond)
		}
		if c := s.scans[1]; c.State != "stopped" || c.Done >= c.Total {
			t.Errorf("%+v", c)
		}
		for _, rate := range []int{-1, MaxScanRate + 1} {
			if _, err := r.PlanScan(ctx, keeper, []string{"192.0.2.0/29"}, rate); !fault.Is(err, fault.Invalid) {
				t.Error(rate, err)
			}
		}
	})
}

func (s *shelf) state(id int64) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.scans[id-1].State
}

// TestReadAll reads what is due, and warns once of keys that end.
func TestReadAll(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		r, s := furnish(t)
		soon := rooms.Start.Add(48 * time.Hour)
		s.w.Keys = []stock.Credential{{Name: "readers", Expires: &soon}}
		s.w.Refresh(t)
		start := time.Now()
		r.now = func() time.Time { return rooms.Start.Add(time.Since(start)) }
		ctx, stop := context.WithCancel(t.Context())
		go func() { _ = r.Workers()[1].Run(ctx) }()
		time.Sleep(ServersEvery + 2*ServersEvery/10)
		stop()
		synctest.Wait()
		count := map[string]int{}
		for _, a := range s.asked {
			count[a]++
		}
		if fmt.Sprint(count) != "map[192.0.2.9:1 ps-1.example:2]" {
			t.Error(count)
		}
		if got := s.kinds(); got != event.KeyEnds {
			t.Error(got)
		}
	})
}
