package keepers

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/testkit/rooms"
)

// memory is a store, and keeps who printed.
type memory struct {
	at      time.Time // goes on with each report
	records map[string]server.Versioned
	read    []string // machines whose reports were read
	tasks   []server.Task
	done    []server.Done
	takes   map[string][]string
	counted []string
	events  []event.Event
}

func (m *memory) KeeperVersions(context.Context) (map[string]string, error) {
	out := map[string]string{}
	for k, r := range m.records {
		out[k] = r.Version
	}
	return out, nil
}

func (m *memory) KeepersOf(_ context.Context, machines []string) (map[string]server.Versioned, error) {
	out := map[string]server.Versioned{}
	for _, k := range machines {
		m.read = append(m.read, k)
		out[k] = m.records[k]
	}
	return out, nil
}

func (m *memory) SaveKept(_ context.Context, r server.Report, happens func(*bool) []event.Event) error {
	m.at = m.at.Add(time.Second)
	k := name.Fold(r.Machine)
	var was *bool
	if before, ok := m.records[k]; ok {
		b := len(before.Report.Failures) > 0
		was = &b
	}
	m.records[k] = server.Versioned{Record: server.Record{LastSeen: m.at, Report: r}, Version: m.at.String()}
	m.done = append(m.done, r.Done...)
	m.events = append(m.events, happens(was)...)
	return nil
}

func (m *memory) RemoveKeeper(_ context.Context, machine string, _ event.Event) error {
	delete(m.records, name.Fold(machine))
	return nil
}

func (m *memory) AddTask(_ context.Context, _, _ string, t server.Task, _ string) (int64, error) {
	t.ID = int64(len(m.tasks) + 1)
	m.tasks = append(m.tasks, t)
	return t.ID, nil
}

func (m *memory) Tasks(context.Context, string) ([]server.Task, error) { return m.tasks, nil }

func (m *memory) TaskDone(_ context.Context, id int64) (*server.Done, error) {
	i := slices.IndexFunc(m.done, func(d server.Done) bool { return d.ID == id })
	if i < 0 {
		return nil, nil
	}
	return &m.done[i], nil
}

func (m *memory) Takes(_ context.Context, called string) ([]string, error) {
	return m.takes[called], nil
}

func (m *memory) Take(_ context.Context, called, _ string, queues []string, _ string, events ...event.Event) error {
	m.takes[called] = append(m.takes[called], queues...)
	m.events = append(m.events, events...)
	return nil
}

func (m *memory) Leave(_ context.Context, called, _, queue string, _ ...event.Event) error {
	m.takes[called] = slices.DeleteFunc(m.takes[called], func(q string) bool { return q == queue })
	return nil
}

func (m *memory) Count(_ context.Context, called string, jobs []stock.Job) error {
	for _, j := range jobs {
		m.counted = append(m.counted, fmt.Sprint(called, " ", j.Owner))
	}
	return nil
}

func (m *memory) CertificateGood(string) bool { return true }

func (m *memory) Read(context.Context, stock.Listed) error { return nil }

const twoKept = `estate: 1
locations: [{path: ard}, {path: sol}]
servers: [{name: ps-1, uri: "ipp://ps-1.example/", kept: true, machine: host-1, location: ard},
	{name: ps-2, uri: "ipp://ps-2.example/", kept: true, location: sol}, {name: ps-3, uri: "ipp://ps-3.example/"}]
devices: [{name: d, uri: "ipp://192.0.2.1/ipp/print"}]
queues: [{name: hall, devices: [d], paths: [{server: ps-1}, {server: ps-2}]}]`

func furnished(t *testing.T) (*Room, *memory, *rooms.World) {
	t.Helper()
	w := rooms.New(t, twoKept, directory.Records{})
	m := &memory{at: rooms.Start, records: map[string]server.Versioned{}, takes: map[string][]string{}}
	return New(Config{Store: m, Present: w.Present, Now: w.Now, Uses: m, Readings: m, Certificates: m,
		Zone: func(string) *time.Location { return nil }}), m, w
}

func agentOf(machine string) *access.Principal {
	return &access.Principal{Name: machine, Machine: machine, Role: access.Agent}
}

func found(queue string, own bool) server.Found {
	return server.Found{Own: own, Now: server.Now{Want: server.Want{Name: queue, Queue: "hall"}}}
}

// TestSpeaksForItsServer: an agent speaks for the server of its own machine alone; what it says of another counts for
// nothing there.
func TestSpeaksForItsServer(t *testing.T) {
	t.Parallel()
	s, m, _ := furnished(t)
	if err := s.Report(t.Context(), agentOf("host-1"), server.Report{Machine: "ps-2"}); !fault.Is(err, fault.Denied) {
		t.Error("it reports as another machine:", err)
	}
	if _, err := s.Serving(t.Context(), agentOf("host-1"), "ps-2"); !fault.Is(err, fault.Denied) {
		t.Error("it asks as another machine:", err)
	}
	says := server.Report{Machine: "host-1", Server: "ps-2", Done: []server.Done{{ID: 1, OK: true}},
		Found: []server.Found{found("hall", true)}, Ended: []server.Ended{{ID: 7, Queue: "hall", Owner: "mira", At: rooms.Start}}}
	if err := s.Report(t.Context(), agentOf("host-1"), says); err != nil {
		t.Fatal(err)
	}
	if len(m.done)+len(m.counted) > 0 || m.records["host-1"].Report.Server != "" {
		t.Errorf("it spoke for another server: %v %v %+v", m.done, m.counted, m.records["host-1"].Report)
	}
	says.Server = "ps-1"
	if err := s.Report(t.Context(), agentOf("host-1"), says); err != nil || len(m.done) != 1 ||
		!slices.Equal(m.counted, []string{"ps-1 mira"}) {
		t.Errorf("of its own: %v %v %v", m.done, m.counted, err)
	}
	a, err := s.Serving(t.Context(), agentOf("host-1"), "host-1")
	var told server.Serving
	if err != nil || json.Unmarshal(a.JSON, &told) != nil || told.Server != "ps-1" || len(told.Wants) != 1 {
		t.Errorf("%s %v", a.JSON, err)
	}
	if a, err = s.Serving(t.Context(), agentOf("desk-9"), "desk-9"); err != nil || !strings.Contains(string(a.JSON),
		`"server":""`) {
		t.Errorf("to a machine that keeps nothing: %s %v", a.JSON, err)
	}
}

// TestRecordsReadOnce: what agents said is read once, and again when they said more; what is gone is forgotten.
func TestRecordsReadOnce(t *testing.T) {
	t.Parallel()
	s, m, _ := furnished(t)
	for _, host := range []string{"host-1", "ps-2", "spare"} {
		if err := s.Report(t.Context(), agentOf(host), server.Report{Machine: host, Server: "?"}); err != nil {
			t.Fatal(err)
		}
	}
	m.read = nil
	see := func(names, read string) {
		t.Helper()
		list, err := s.Kept(t.Context(), rooms.Who(access.HelpDesk))
		var got []string
		for _, k := range list {
			got = append(got, k.Machine+":"+string(k.State))
		}
		if err != nil || strings.Join(got, " ") != names || strings.Join(m.read, " ") != read {
			t.Errorf("%v, read %v, %v; want %q, %q", got, m.read, err, names, read)
		}
		m.read = nil
	}
	s.said = nil
	if _, err := s.records(t.Context()); err != nil || len(m.read) != 3 {
		t.Fatal(m.read, err)
	}
	m.read = nil
	see("host-1:behind ps-2:behind spare:ready", "")
	m.records["spare"] = server.Versioned{Record: m.records["spare"].Record, Version: "a person was erased"}
	see("host-1:behind ps-2:behind spare:ready", "spare")
	if err := s.Report(t.Context(), agentOf("ps-2"), server.Report{Machine: "ps-2", Server: "ps-2",
		Failures: []server.Failure{{Name: "hall", Step: server.Add, Says: "no"}}}); err != nil {
		t.Fatal(err)
	}
	see("host-1:behind ps-2:failing spare:ready", "ps-2")
	if err := s.Forget(t.Context(), rooms.Who(access.Owner), "spare"); err != nil {
		t.Fatal(err)
	}
	see("host-1:behind ps-2:failing", "")
	if err := s.Forget(t.Context(), rooms.Who(access.Owner), "ps-2"); !fault.Is(err, fault.Conflict) {
		t.Error("what is said of a server that is kept is forgotten:", err)
	}
	if list, err := s.Troubled(t.Context()); err != nil || len(list) != 1 || list[0].Server != "ps-2" {
		t.Errorf("%+v %v", list, err)
	}
}

// TestTake: taken over is what stands in the way of a wanted queue, by whoever may publish at the server's site.
func TestTake(t *testing.T) {
	t.Parallel()
	s, m, _ := furnished(t)
	if err := s.Report(t.Context(), agentOf("host-1"), server.Report{Machine: "host-1", Server: "ps-1",
		Found: []server.Found{found("hall", false), found("stray", false)}}); err != nil {
		t.Fatal(err)
	}
	owner := rooms.Who(access.Owner)
	for says, c := range map[string]struct {
		by     *access.Principal
		server string
		queues []string
		code   string
	}{
		"not wanted":      {owner, "ps-1", []string{"stray"}, "not-wanted"},
		"not there":       {owner, "ps-1", []string{"nope"}, "found-queue-unknown"},
		"nothing there":   {owner, "ps-2", nil, "nothing-to-take"},
		"not kept":        {owner, "ps-3", nil, "not-kept"},
		"no such server":  {owner, "ps-9", nil, "server-unknown"},
		"of another site": {rooms.Who(access.SiteAdmin, "sol"), "ps-1", nil, "not-your-site"},
		"may not":         {rooms.Who(access.HelpDesk), "ps-1", nil, "not-allowed"},
	} {
		_, err := s.Take(t.Context(), c.by, c.server, c.queues)
		if f := fault.As(err); err == nil || f.Code != c.code {
			t.Errorf("%s: %v", says, err)
		}
	}
	if len(m.takes["ps-1"]) > 0 {
		t.Fatal(m.takes)
	}
	got, err := s.Take(t.Context(), rooms.Who(access.SiteAdmin, "ard"), "ps-1", nil)
	if err != nil || !slices.Equal(got, []string{"hall"}) || !slices.Equal(m.takes["ps-1"], got) {
		t.Errorf("%v %v %v", got, m.takes, err)
	}
	if err := s.Leave(t.Context(), rooms.Who(access.SiteAdmin, "sol"), "ps-1", "hall"); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
	if err := s.Leave(t.Context(), owner, "ps-1", "hall"); err != nil || len(m.takes["ps-1"]) > 0 {
		t.Error(m.takes, err)
	}
}

// TestDo: a task is done by the agent, whose words are told where it refuses.
func TestDo(t *testing.T) {
	t.Parallel()
	s, m, _ := furnished(t)
	m.done = []server.Done{{ID: 1, OK: true}, {ID: 2, Says: "it is printed already"}}
	if err := s.Do(t.Context(), "ps-1", server.Task{Queue: "hall", Job: 4, Do: server.Hold}, "mira"); err != nil {
		t.Error(err)
	}
	err := s.Do(t.Context(), "ps-1", server.Task{Queue: "hall", Job: 5, Do: server.Hold}, "mira")
	if !fault.Is(err, fault.Conflict) || !strings.Contains(err.Error(), "it is printed already") {
		t.Error(err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if err := s.Do(ctx, "ps-1", server.Task{Queue: "hall", Job: 6, Do: server.Hold}, "mira"); err == nil {
		t.Error("nobody did it, and all is well")
	}
	if heard, err := s.Heard(t.Context(), "ps-1"); err != nil || heard {
		t.Error("nothing was ever heard of it", err)
	}
}

// TestTellsOnce: that a server fails, and that it works again, is told when it happens, and no more.
func TestTellsOnce(t *testing.T) {
	t.Parallel()
	s, m, _ := furnished(t)
	fails := []server.Failure{{Name: "hall", Step: server.Add, Says: "the disk is full"}}
	for _, f := range [][]server.Failure{nil, fails, fails, nil, nil} {
		if err := s.Report(t.Context(), agentOf("host-1"), server.Report{Machine: "host-1", Server: "ps-1", Failures: f}); err != nil {
			t.Fatal(err)
		}
	}
	var kinds []string
	for _, e := range m.events {
		kinds = append(kinds, e.Kind)
	}
	if !slices.Equal(kinds, []string{event.KeeperJoined, event.KeeperFails, event.KeeperWorks}) {
		t.Errorf("%q", kinds)
	}
}
