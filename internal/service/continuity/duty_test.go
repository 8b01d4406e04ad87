package continuity_test

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"cirque/core/access"
	core "cirque/core/continuity"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/live"
	"cirque/internal/service/continuity"
	"cirque/internal/testkit/rooms"
)

const pair = `
estate: 1
locations: [{path: ard}, {path: bra}]
servers: [{name: ps-1, uri: "ipp://ps-1.example/", location: ard}, {name: ps-2, uri: "ipp://ps-2.example/", location: ard}, {name: ps-3, uri: "ipp://ps-3.example/", location: bra}]
server_sets: [{name: pair, style: standby, members: [ps-1, ps-2]}]
queues: [{name: hall, paths: [{set: pair}]}, {name: pier, paths: [{server: ps-3}]}]
settings: {continuity: {probe_seconds: 10, down_after: 2, up_after: 2, return_minutes: 10}}
`

// store notes what was set, and shows it in the world.
type store struct {
	continuity.Store // what a test does not expect is nil, and panics
	*rooms.World

	mu     sync.Mutex
	notes  []live.Note
	events []event.Event
	health []core.Health
}

func (s *store) SetLive(_ context.Context, n live.Note, only func(live.Note) bool, e event.Event) (bool, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	was := live.Note{Kind: n.Kind, Name: n.Name, Duty: s.State.Server(n.Name), Share: s.State.Share(n.Name)}
	if was.Duty == n.Duty && (n.Duty != live.Serving || was.Share == n.Share) || !only(was) {
		return false, nil
	}
	s.notes, s.events = append(s.notes, n), append(s.events, e)
	servers := map[string]live.Duty{}
	for _, note := range s.notes {
		servers[note.Name] = note.Duty
	}
	s.State = live.State{Servers: servers}
	return true, nil
}

func (s *store) AddEvent(_ context.Context, e event.Event) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.events = append(s.events, e)
	return nil
}

func (s *store) Healths(context.Context) ([]core.Health, error) { return nil, nil }

func (s *store) SaveHealth(_ context.Context, list []core.Health, _ func(core.Health) bool) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.health = append(s.health, list...)
	return nil
}

func (s *store) Duties(context.Context, *time.Time) ([]live.Note, error) { return nil, nil }

func (s *store) FailoverTests(context.Context, bool, int) ([]core.FailoverTest, error) {
	return nil, nil
}

func room(t *testing.T, prober continuity.Prober) (*continuity.Room, *store) {
	t.Helper()
	s := &store{World: rooms.New(t, pair, directory.Records{})}
	return continuity.New(continuity.Config{Store: s, Present: s.Present, Now: s.Now, Log: rooms.Quiet,
		Prober: prober, Health: true}), s
}

func TestDrain(t *testing.T) {
	t.Parallel()
	r, s := room(t, nil)
	ctx, mira := t.Context(), rooms.Who(access.Administrator)
	past := s.Now().Add(-time.Minute)
	for _, c := range []struct {
		who            *access.Principal
		server, reason string
		until          *time.Time
		code, says     string
	}{
		{mira, "ps-1", " ", nil, "reason-missing", "--reason"},
		{mira, "ps-1", "update", &past, "until-past", "a time to come"},
		{mira, "ps-l", "update", nil, "server-unknown", "did you mean ps-1?"},
		{mira, "pair", "update", nil, "server-unknown", "member by member: ps-1, ps-2"},
		{rooms.Who(access.SiteAdmin, "bra"), "ps-1", "update", nil, "not-your-site", ""},
		{rooms.Who(access.Auditor), "ps-1", "update", nil, "not-allowed", ""},
	} {
		_, err := r.Drain(ctx, c.who, c.server, c.reason, c.until)
		if f := fault.As(err); f == nil || f.Code != c.code || !strings.Contains(f.Fix, c.says) {
			t.Errorf("%s %q: %+v, want %s", c.server, c.reason, f, c.code)
		}
	}
	if len(s.notes) != 0 {
		t.Fatal("something was set:", s.notes)
	}
	changed, err := r.Drain(ctx, mira, "ps-1", "update", nil)
	if err != nil || !changed || s.Present.View().World.Live.Server("ps-1") != live.Drained {
		t.Fatal("a drain is not seen at once:", changed, err)
	}
	if again, err := r.Drain(ctx, mira, "ps-1", "update", nil); again || err != nil {
		t.Error("twice:", again, err)
	}
	// A member of a set takes its people back over time, another server at once.
	if _, err := r.Return(ctx, mira, "ps-1", false); err != nil {
		t.Fatal(err)
	}
	if n := s.notes[len(s.notes)-1]; n.Duty != live.Serving || n.Until == nil || n.Until.Sub(s.Now()) != 10*time.Minute ||
		n.Share >= 1 {
		t.Errorf("%+v", n)
	}
	if _, err := r.Drain(ctx, mira, "ps-3", "update", nil); err != nil {
		t.Fatal(err)
	}
	if _, err := r.Return(ctx, mira, "ps-3", false); err != nil {
		t.Fatal(err)
	}
	if n := s.notes[len(s.notes)-1]; n.Until != nil || n.Share != 1 {
		t.Errorf("%+v", n)
	}
}

// prober answers for all servers but those that are down.
type prober struct {
	mu   sync.Mutex
	down map[string]bool
	n    int
}

func (p *prober) Alive(_ context.Context, uri string) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.n++
	if p.down[uri] {
		return errors.New("refused")
	}
	return nil
}

func (p *prober) set(uri string, down bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.down[uri] = down
}

// TestWatch: a server that was up and does not answer goes out of duty, and comes back on duty when it answers again.
func TestWatch(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		p := &prober{down: map[string]bool{}}
		r, s := room(t, p)
		ctx, stop := context.WithCancel(t.Context())
		ended := make(chan error, 1)
		work := r.Workers()
		if len(work) != 1 || !work[0].Leased {
			t.Fatal(work)
		}
		go func() { ended <- work[0].Run(ctx) }()
		duty := func() live.Duty { return s.Present.View().World.Live.Server("ps-1") }
		time.Sleep(15 * time.Second)
		p.set("ipp://ps-1.example/", true)
		time.Sleep(20 * time.Second)
		if duty() != live.Down {
			t.Errorf("after two probes ps-1 is %s", duty())
		}
		p.set("ipp://ps-1.example/", false)
		time.Sleep(20 * time.Second)
		if duty() != live.Serving {
			t.Errorf("answering again ps-1 is %s", duty())
		}
		stop()
		if err := <-ended; err != nil {
			t.Error(err)
		}
		s.mu.Lock()
		defer s.mu.Unlock()
		var kinds []string
		for _, e := range s.events {
			kinds = append(kinds, e.Kind+" "+e.Subject)
		}
		if got := strings.Join(kinds, ", "); got != "live.down ps-1, live.up ps-1" {
			t.Error(got)
		}
		if p.n < 6 || len(s.health) < 4 {
			t.Errorf("%d probes, %d kept", p.n, len(s.health))
		}
	})
}
