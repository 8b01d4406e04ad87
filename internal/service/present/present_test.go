package present_test

import (
	"context"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/internal/service/present"
	"cirque/internal/testkit/rooms"
)

const two = `
estate: 1
queues: [{name: hall, formerly: [old-hall], paths: [{gateway: true}]}]
`

// slow is a world whose directory takes until it is let go.
type slow struct {
	*rooms.World
	reading, letGo chan struct{}
	slowly         atomic.Bool
}

func (s *slow) Directory(ctx context.Context, at *time.Time) (directory.Records, int64, error) {
	if s.slowly.Load() {
		close(s.reading)
		<-s.letGo
	}
	return s.World.Directory(ctx, at)
}

// TestPartsDoNotWait: live state is read and shown while a directory is being read, and neither overwrites the other.
func TestPartsDoNotWait(t *testing.T) {
	t.Parallel()
	w := &slow{World: rooms.New(t, two, directory.Records{}), reading: make(chan struct{}), letGo: make(chan struct{})}
	p, err := present.New(t.Context(), present.Config{Decided: w, Seen: w, Signals: w, Now: w.Now, Log: rooms.Quiet})
	if err != nil {
		t.Fatal(err)
	}
	before := p.View()
	w.Import(directory.Records{Users: []directory.User{{Name: "mira"}}})
	w.slowly.Store(true)
	done := make(chan error)
	go func() { done <- p.Refresh(t.Context(), event.Signal{What: event.Directory}) }()
	<-w.reading
	w.State = live.State{Servers: map[string]live.Duty{"ps-1": live.Drained}}
	if err := p.Refresh(t.Context(), event.Signal{What: event.Live}); err != nil {
		t.Fatal(err)
	}
	if p.View().World.Live.Server("ps-1") != live.Drained || len(p.View().World.Directory.Records().Users) != 0 {
		t.Error("a drain waits for a directory")
	}
	<-before.Changed()
	close(w.letGo)
	if err := <-done; err != nil {
		t.Fatal(err)
	}
	if v := p.View(); v.World.Live.Server("ps-1") != live.Drained || len(v.World.Directory.Records().Users) != 1 {
		t.Error("one part took another's place")
	}
}

func TestAgents(t *testing.T) {
	t.Parallel()
	a := &rooms.New(t, two, directory.Records{}).Present.Agents
	called, left := a.Wait("desk-1")
	if !a.Waits("DESK-1") || a.Waits("desk-2") {
		t.Error("who waits")
	}
	a.Wake("Desk-1")
	<-called
	left()
	if a.Waits("desk-1") {
		t.Error("it has left")
	}
	a.Wake("desk-1") // between two of its polls
	called, left = a.Wait("desk-1")
	<-called
	left()
	called, left = a.Wait("desk-1")
	defer left()
	select {
	case <-called:
		t.Error("one call counts twice")
	default:
	}
}

func TestWhen(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, two, directory.Records{})
	w.Publish(t, strings.Replace(two, "name: hall", "name: pier", 1))
	w.Refresh(t)
	p, who := w.Present, rooms.Who(access.Auditor)
	v, err := p.Past.At(t.Context(), who, present.When{Revision: 1})
	if err != nil || v.Current() || v.Document().Queues[0].Name != "hall" {
		t.Errorf("%+v %v", v, err)
	}
	if _, err := p.Past.At(t.Context(), &access.Principal{Role: access.Agent}, present.When{Revision: 1}); !fault.Is(err,
		fault.Denied) {
		t.Error("an agent sees the past:", err)
	}
	later := w.Now().Add(time.Hour)
	if _, err := p.Past.At(t.Context(), who, present.When{AsOf: &later}); fault.As(err) == nil ||
		fault.As(err).Code != "when-future" {
		t.Error(err)
	}
	for text, want := range map[string]present.When{"": {}, "7": {Revision: 7}, "draft": {Draft: "main"},
		"draft:x": {Draft: "x"}} {
		if got, err := present.ParseWhen(text, nil); err != nil || got != want {
			t.Errorf("%q: %+v %v", text, got, err)
		}
	}
	for _, bad := range []string{"-1", "x", "drafty"} {
		if got, err := present.ParseWhen(bad, nil); err == nil {
			t.Errorf("%q: %+v", bad, got)
		}
	}
}

// TestView: an old name leads to a queue; a person asks for themselves under any of their names, an agent as its machine.
func TestView(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, two, directory.Records{Users: []directory.User{{Name: "Mira", Email: "mira@skerry.example"}},
		Machines: []directory.Machine{{Name: "DESK-1"}}})
	v := w.Present.View()
	if q, err := v.Queue("old-hall", time.Now()); err != nil || q.Name != "hall" || q.Through[0] != "gateway" {
		t.Error(q, err)
	}
	if _, err := v.Queue("none", time.Now()); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	mira, jonas, desk := "mira", "jonas", "desk-1"
	person := &access.Principal{Name: "mira", User: "mira", Account: "mira", Role: access.Person}
	agent := &access.Principal{Name: "a", Role: access.Agent, Machine: "desk-1"}
	for _, c := range []struct {
		who *access.Principal
		q   lineup.Query
		may bool
	}{
		{person, lineup.Query{User: &mira}, true}, {person, lineup.Query{User: &jonas}, false}, {person, lineup.Query{}, false},
		{agent, lineup.Query{Machine: &desk}, true}, {agent, lineup.Query{User: &jonas}, false},
		{rooms.Who(access.HelpDesk), lineup.Query{User: &jonas}, true}, {nil, lineup.Query{User: &mira}, false},
	} {
		if err := v.CheckAsking(c.who, []lineup.Query{c.q}); (err == nil) != c.may {
			t.Errorf("%+v: %v", c.q, err)
		}
	}
	if v.MailOf("MIRA") != "mira@skerry.example" || v.MailOf("jonas") != "" {
		t.Error("whose mail it is")
	}
}

// TestShare: all cases are done once each, results are given one at a time, and a stop is a fault.
func TestShare(t *testing.T) {
	t.Parallel()
	crew := &rooms.New(t, two, directory.Records{}).Present.Crew
	seen := make([]int, 5000)
	total := 0
	if err := crew.Share(t.Context(), len(seen), nil, func(done, all int) { total = done }, func() func(from, to int) func() {
		return func(from, to int) func() {
			return func() {
				for i := from; i < to; i++ {
					seen[i]++
				}
			}
		}
	}); err != nil || total != len(seen) {
		t.Fatal(total, err)
	}
	for i, n := range seen {
		if n != 1 {
			t.Fatalf("case %d was done %d times", i, n)
		}
	}
	ctx, stop := context.WithCancel(t.Context())
	err := crew.Share(ctx, 100_000, nil, nil, func() func(from, to int) func() {
		return func(int, int) func() { stop(); return func() {} }
	})
	if fault.As(err) == nil || fault.As(err).Code != "stopped" {
		t.Error(err)
	}
}
