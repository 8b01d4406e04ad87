package updates

import (
	"bytes"
	"context"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/update"
	"cirque/internal/testkit/rooms"
)

const twoSites = `estate: 1
locations: [{path: north}, {path: south}]
`

// aStore keeps packages, the latest order and its records in memory.
type aStore struct {
	Store
	packages []update.AgentPackage
	data     map[string][]byte
	order    *update.Order
	records  map[string]update.Record
	counts   update.Counts
	events   []string
}

func (s *aStore) AddAgentPackage(_ context.Context, p update.AgentPackage, data []byte, _ event.Event) (bool, error) {
	if _, known := s.data[p.Digest]; known {
		return true, nil
	}
	s.packages, s.data[p.Digest] = append(s.packages, p), data
	return false, nil
}

func (s *aStore) AgentPackages(context.Context) ([]update.AgentPackage, error) {
	return s.packages, nil
}

func (s *aStore) AgentPackageChunk(_ context.Context, digest string, n int) ([]byte, error) {
	b := s.data[digest]
	if n*update.Chunk >= len(b) {
		return nil, nil
	}
	return b[n*update.Chunk : min(len(b), (n+1)*update.Chunk)], nil
}

func (s *aStore) RemoveAgentPackage(_ context.Context, digest string, _ event.Event) error {
	for i, p := range s.packages {
		if p.Digest == digest {
			s.packages = append(s.packages[:i:i], s.packages[i+1:]...)
		}
	}
	return nil
}

func (s *aStore) AddUpdate(_ context.Context, o update.Order, e event.Event) (update.Order, error) {
	if s.order != nil && s.order.State != update.Ended {
		return o, fault.New(fault.Conflict, "update-under-way", "", "one is under way")
	}
	if s.order != nil {
		o.ID = s.order.ID
	}
	o.ID++
	s.order, s.records = &o, map[string]update.Record{}
	s.events = append(s.events, e.Kind)
	return o, nil
}

func (s *aStore) SaveUpdate(_ context.Context, from, o update.Order, e event.Event) error {
	if s.order.State != from.State || s.order.Stage != from.Stage {
		return fault.New(fault.Conflict, "update-moved", "", "it moved")
	}
	s.order = &o
	s.events = append(s.events, e.Kind)
	return nil
}

func (s *aStore) LastUpdate(context.Context) (*update.Order, error) { return s.order, nil }

func (s *aStore) SaveUpdateRecord(_ context.Context, _ int64, r update.Record, events ...event.Event) error {
	s.records[r.Machine] = r
	for _, e := range events {
		s.events = append(s.events, e.Kind)
	}
	return nil
}

func (s *aStore) UpdateRecord(_ context.Context, _ int64, machine string) (*update.Record, error) {
	if r, ok := s.records[machine]; ok {
		return &r, nil
	}
	return nil, nil
}

func (s *aStore) CountUpdate(context.Context, int64, time.Time, time.Time) (update.Counts, []string, error) {
	return s.counts, []string{"Desk-1"}, nil
}

func (s *aStore) Agents(context.Context) ([]update.Suit, error) {
	return []update.Suit{{Version: "0.1.0", Platform: "linux/x64", Updates: update.Deb, Machines: 3}}, nil
}

func furnish(t *testing.T) (*Room, *aStore, *rooms.World) {
	t.Helper()
	w := rooms.New(t, twoSites, directory.Records{Machines: []directory.Machine{{Name: "Desk-1", Location: "north"}}})
	s := &aStore{data: map[string][]byte{}}
	r, err := New(t.Context(), Config{Store: s, Present: w.Present, Log: rooms.Quiet, Now: w.Now, Fleet: s})
	if err != nil {
		t.Fatal(err)
	}
	return r, s, w
}

// add keeps a package of so many octets.
func add(t *testing.T, r *Room, version string, size int) update.AgentPackage {
	t.Helper()
	p, known, err := r.AddPackage(t.Context(), rooms.Who(access.Administrator), "cirque-agent_"+version+"_amd64.deb",
		append([]byte("!<arch>\n"+version), bytes.Repeat([]byte("x"), size)...))
	if err != nil || known {
		t.Fatal(known, err)
	}
	return p
}

var anAgent = &access.Principal{Name: "the agent on Desk-1", Role: access.Agent, Machine: "Desk-1"}

func desk(version string) update.Machine {
	return update.Machine{Name: "desk-1", Version: version, Platform: "linux/x64", Updates: update.Deb}
}

// TestOrder: a machine is told, is offered what suits it with its way back, says what came of it, and goes back when it
// is told to; the order goes on by itself, and pauses by itself.
func TestOrder(t *testing.T) {
	t.Parallel()
	r, s, w := furnish(t)
	admin := rooms.Who(access.Administrator)
	if _, err := r.Begin(t.Context(), admin, update.Order{Version: "0.2.0"}); !fault.Is(err, fault.Conflict) {
		t.Error("without a package:", err)
	}
	old, next := add(t, r, "0.1.0", 1), add(t, r, "0.2.0", 1)
	if r.Tells(desk("0.1.0")) != "" {
		t.Error("told with no order")
	}
	st, err := r.Begin(t.Context(), admin, update.Order{Version: "0.2.0", Shares: []int{100}, Each: 60, Site: "north"})
	if err != nil || st.Order == nil || !st.Machines[0].Suits || !st.Machines[0].WayBack {
		t.Fatalf("%+v %v", st, err)
	}
	if got := r.Tells(desk("0.1.0")); got != "1" {
		t.Errorf("told by %q", got)
	}
	if got := r.Tells(desk("0.2.0")); got != "" {
		t.Errorf("one that has it is told by %q", got)
	}
	to, back, order, err := r.Offer(t.Context(), anAgent, desk("0.1.0"))
	if err != nil || to.Digest != next.Digest || back == nil || back.Digest != old.Digest || order != 1 {
		t.Errorf("%+v %+v %d %v", to, back, order, err)
	}
	other := desk("0.1.0")
	other.Platform = "linux/arm64"
	if _, _, _, err := r.Offer(t.Context(), anAgent, other); fault.As(err) == nil ||
		fault.As(err).Code != "update-no-package" {
		t.Error("for another system:", err)
	}
	if err := r.Said(t.Context(), anAgent, 1, update.Record{Former: "0.1.0", State: update.Came}); err != nil {
		t.Fatal(err)
	}
	if err := r.Said(t.Context(), anAgent, 99, update.Record{State: update.Failed}); err != nil || len(s.records) != 1 {
		t.Error("one of long ago is kept:", err)
	}
	s.counts = update.Counts{Came: 1, Failed: 1}
	if err := r.Look(t.Context()); err != nil || s.order.State != update.Paused || r.Tells(desk("0.1.0")) != "" {
		t.Errorf("%+v %v", s.order, err)
	}
	w.Pass(time.Hour)
	for _, c := range []struct{ do, state string }{{update.GoOn, update.Running}, {update.Pause, update.Paused},
		{update.GoBack, update.Back}} {
		if st, err = r.Act(t.Context(), admin, c.do); err != nil || st.Order.State != c.state {
			t.Fatalf("%s: %+v %v", c.do, st.Order, err)
		}
	}
	if got := r.Tells(desk("0.2.0")); got != "1 back" {
		t.Errorf("told by %q", got)
	}
	if to, _, _, err := r.Offer(t.Context(), anAgent, desk("0.2.0")); err != nil || to.Digest != old.Digest {
		t.Errorf("%+v %v", to, err)
	}
	if err := r.Said(t.Context(), anAgent, 1, update.Record{State: update.WentBack}); err != nil {
		t.Fatal(err)
	}
	if _, _, _, err := r.Offer(t.Context(), anAgent, desk("0.2.0")); !fault.Is(err, fault.Conflict) {
		t.Error("it is to go back twice:", err)
	}
	if _, err := r.Act(t.Context(), admin, update.End); err != nil {
		t.Fatal(err)
	}
	if _, err := r.Act(t.Context(), admin, update.GoOn); !fault.Is(err, fault.Conflict) {
		t.Error("after it has ended:", err)
	}
}

// TestOrderOnce: what has failed once is not tried again by the same order.
func TestOrderOnce(t *testing.T) {
	t.Parallel()
	r, _, _ := furnish(t)
	add(t, r, "0.2.0", 1)
	if _, err := r.Begin(t.Context(), rooms.Who(access.Owner), update.Order{Version: "0.2.0",
		Shares: []int{100}}); err != nil {
		t.Fatal(err)
	}
	if _, back, _, err := r.Offer(t.Context(), anAgent, desk("0.1.0")); err != nil || back != nil {
		t.Fatal(back, err)
	}
	if err := r.Said(t.Context(), anAgent, 1, update.Record{State: update.Failed, Says: "no\x1b room"}); err != nil {
		t.Fatal(err)
	}
	if _, _, _, err := r.Offer(t.Context(), anAgent, desk("0.1.0")); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
}

// TestPackages: what is kept is handed out in parts, to machines and to whoever enrols them; it is not removed while
// machines are being brought to it.
func TestPackages(t *testing.T) {
	t.Parallel()
	r, _, _ := furnish(t)
	admin, helper := rooms.Who(access.Administrator), rooms.Who(access.HelpDesk)
	for _, p := range []*access.Principal{helper, rooms.Who(access.SiteAdmin, "north"), anAgent} {
		if _, _, err := r.AddPackage(t.Context(), p, "cirque-agent_0.2.0_amd64.deb", []byte("!<arch>\n")); !fault.Is(err,
			fault.Denied) {
			t.Errorf("%s adds one: %v", p.Role, err)
		}
		if _, err := r.Act(t.Context(), p, update.Pause); !fault.Is(err, fault.Denied) {
			t.Errorf("%s acts: %v", p.Role, err)
		}
	}
	k := add(t, r, "0.2.0", update.Chunk+5)
	var got []byte
	for n := 0; ; n++ {
		b, err := r.Chunk(t.Context(), anAgent, k.Digest, n)
		if err != nil {
			t.Fatal(err)
		}
		if b == nil {
			break
		}
		got = append(got, b...)
	}
	if int64(len(got)) != k.Bytes {
		t.Errorf("%d octets of %d", len(got), k.Bytes)
	}
	if _, err := r.Chunk(t.Context(), rooms.Who(access.Person), k.Digest, 0); !fault.Is(err, fault.Denied) {
		t.Error("a person is handed one:", err)
	}
	if _, err := r.Begin(t.Context(), admin, update.Order{Version: "0.2.0"}); err != nil {
		t.Fatal(err)
	}
	if err := r.RemovePackage(t.Context(), admin, k.File); !fault.Is(err, fault.Conflict) {
		t.Error("removed while it is used:", err)
	}
	if _, err := r.Act(t.Context(), admin, update.End); err != nil {
		t.Fatal(err)
	}
	if err := r.RemovePackage(t.Context(), admin, "abc"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if err := r.RemovePackage(t.Context(), admin, k.Digest[:8]); err != nil {
		t.Error(err)
	}
	if list, err := r.Packages(t.Context(), helper); err != nil || len(list) != 0 {
		t.Error(list, err)
	}
}
