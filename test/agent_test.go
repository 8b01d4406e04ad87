package test

import (
	"context"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/internal/agent"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/cmdline"
	"cirque/internal/probe/dial"
	"cirque/internal/sim"
)

// A desk is a machine with a stand-in spooler and, while it runs, an agent.
type desk struct {
	t     *testing.T
	dir   string
	stop  func()
	reach dial.AddressTable // where what it asks by itself really is; only loopback without one
}

func newDesk(t *testing.T, machine string) *desk {
	t.Helper()
	d := &desk{t: t, dir: t.TempDir(), stop: func() {}}
	d.write("machine.yaml", machine)
	t.Cleanup(func() { d.stop() })
	return d
}

func (d *desk) write(name, text string) {
	d.t.Helper()
	// Whole at once, as an editor does: the agent may be reading.
	tmp := filepath.Join(d.dir, ".tmp")
	if err := os.WriteFile(tmp, []byte(text), 0o644); err != nil {
		d.t.Fatal(err)
	}
	if err := os.Rename(tmp, filepath.Join(d.dir, name)); err != nil {
		d.t.Fatal(err)
	}
}

// run starts an agent on the desk.
func (d *desk) run(service, token string) {
	d.t.Helper()
	standIn, err := agent.NewStandIn(d.dir)
	if err != nil {
		d.t.Fatal(err)
	}
	a, err := agent.New(agent.Config{Service: service, Token: token, State: filepath.Join(d.dir, ".agent"),
		Version: "test", Spooler: standIn, Machine: standIn, Reach: d.reach, Look: 20 * time.Millisecond})
	if err != nil {
		d.t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { _ = a.Run(ctx) })
	d.stop = func() { cancel(); wg.Wait() }
}

// file reads one, "" where there is none.
func (d *desk) file(name string) string {
	b, _ := os.ReadFile(filepath.Join(d.dir, name))
	return string(b)
}

// queues lists what is installed, such as "everybody/hall mira/mail".
func (d *desk) queues() string {
	var out []string
	_ = filepath.WalkDir(d.dir, func(p string, _ os.DirEntry, err error) error {
		rel, _ := filepath.Rel(d.dir, p)
		if err == nil && strings.HasSuffix(p, ".yaml") && rel != "machine.yaml" {
			out = append(out, strings.TrimSuffix(strings.TrimPrefix(rel, "users/"), ".yaml"))
		}
		return nil
	})
	return strings.Join(out, " ")
}

func (d *desk) has(want string) {
	d.t.Helper()
	defer func() {
		if d.t.Failed() {
			d.t.Logf("the spooler has %q, its log is\n%s", d.queues(), d.log())
		}
	}()
	within(d.t, "the spooler has "+want, func() bool { return d.queues() == want })
}

func (d *desk) log() string {
	b, _ := os.ReadFile(filepath.Join(d.dir, "log"))
	var out []string
	for line := range strings.Lines(string(b)) {
		out = append(out, strings.Join(strings.Fields(line)[1:], " "))
	}
	return strings.Join(out, "\n")
}

const twoQueues = `
estate: 1
locations: [{path: ard/hall}, {path: ard/yard}]
subnets: [{cidr: 10.1.0.0/16, location: ard/hall}, {cidr: 10.2.0.0/16, location: ard/yard}]
devices: [{name: p, uri: "ipp://192.0.2.1/ipp/print"}, {name: r, uri: "ipp://192.0.2.2/ipp/print"}]
queues:
  - {name: hall, location: ard/hall, devices: [p], paths: [{device: p}]}
  - {name: yard, location: ard/yard, devices: [r], paths: [{gateway: true}]}
  - {name: lobby, devices: [p], paths: [{device: p}]}
grants:
  - {name: hall, effect: place, queues: [hall], to: ["group:clerks"], at: ["location:ard/hall"], default: 5}
  - {name: yard, effect: place, queues: [yard], to: ["group:clerks"], at: ["location:ard/yard"]}
  - {name: lobby, effect: place, queues: [lobby], on: ["machine:desk-1"]}
`

const deskOne = "machine: desk-1\nplatform: windows/x64\naddresses: [10.1.0.7]\nsessions: [{user: mira}]\n"

func (s *aService) endpoint(machine string) (endpoint.Judged, error) {
	return apiclient.Get[endpoint.Judged](s.t.Context(), s.c, apiclient.Path("/api/v1/endpoints", machine), nil)
}

func (s *aService) reaches(machine string, want endpoint.State) endpoint.Judged {
	s.t.Helper()
	var e endpoint.Judged
	within(s.t, machine+" is "+string(want), func() bool {
		var err error
		e, err = s.endpoint(machine)
		return err == nil && e.State == want
	})
	return e
}

// TestAgentFollows: a published change reaches the spooler, new before old, what is somebody else's stays, and the
// service sees it all.
func TestAgentFollows(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(twoQueues)
	d := newDesk(t, deskOne)
	if err := os.MkdirAll(filepath.Join(d.dir, "everybody"), 0o755); err != nil {
		t.Fatal(err)
	}
	d.write("everybody/theirs.yaml", "uri: ipp://192.0.2.9/\n")
	d.run(s.URL, s.tokenFor("agent", access.Agent, "desk-1"))
	d.has("everybody/lobby everybody/theirs mira/hall")
	e := s.reaches("desk-1", endpoint.Converged)
	if len(e.Report.Installed) != 3 || e.Report.Revision != 1 || len(e.Report.Contexts) != 2 {
		t.Errorf("%+v", e.Report)
	}

	begin := time.Now()
	s.publish(strings.Replace(twoQueues, `queues: [hall], to`, `queues: [yard], to`, 1))
	d.has("everybody/lobby everybody/theirs mira/yard")
	t.Logf("from publishing to the spooler: %v", time.Since(begin))
	// The stand-in writes its log after the file is gone.
	within(t, "the removal is in the log", func() bool { return strings.HasSuffix(d.log(), "remove hall for mira") })
	log := d.log()
	if add, remove := strings.Index(log, "add yard for mira"), strings.Index(log, "remove hall for mira"); add < 0 ||
		remove < add {
		t.Errorf("removed before added:\n%s", log)
	}
	if !strings.Contains(log, "default hall for mira") || !strings.HasSuffix(log, "remove hall for mira") ||
		!strings.Contains(log, "default yard for mira") {
		t.Errorf("log:\n%s", log)
	}
	b, err := os.ReadFile(filepath.Join(d.dir, "users", "mira", "yard.yaml"))
	if err != nil || !strings.Contains(string(b), "uri: "+strings.Replace(s.URL, "http", "ipp", 1)+"/ipp/queues/yard") {
		t.Errorf("the gateway's address: %s %v", b, err)
	}

	// A person walks to another building: the session's address changes, and the queues with it.
	s.publish(twoQueues)
	d.has("everybody/lobby everybody/theirs mira/hall")
	d.write("machine.yaml", strings.Replace(deskOne, "10.1.0.7", "10.2.0.7", 1))
	d.has("everybody/lobby everybody/theirs mira/yard")

	// Signing out takes the person's queues, not everybody's.
	d.write("machine.yaml", "machine: desk-1\nplatform: windows/x64\naddresses: [10.1.0.7]\n")
	d.has("everybody/lobby everybody/theirs")
	s.reaches("desk-1", endpoint.Converged)
}

// TestAgentFailure: the spooler's words reach the service, the other queues are there all the same, and mending it is
// seen.
func TestAgentFailure(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(twoQueues)
	d := newDesk(t, deskOne+"refuses_queues: [hall]\n")
	token := s.tokenFor("agent", access.Agent, "desk-1")
	d.run(s.URL, token)
	d.has("everybody/lobby")
	e := s.reaches("desk-1", endpoint.Failing)
	if f := e.Report.Failures; len(f) != 1 || f[0].Queue != "hall" || !strings.Contains(f[0].Says, "access denied") ||
		len(e.Drift) != 1 || e.Drift[0].Kind != "missing" {
		t.Errorf("%+v %+v", e.Report.Failures, e.Drift)
	}
	code, out, _ := s.run("endpoint", "list")
	if code != 0 || !strings.Contains(out, "failing") || !strings.Contains(out, "access denied") {
		t.Errorf("%d\n%s", code, out)
	}
	d.stop()
	d.write("machine.yaml", deskOne)
	d.run(s.URL, token)
	d.has("everybody/lobby mira/hall")
	s.reaches("desk-1", endpoint.Converged)
	events, err := apiclient.Page[event.Event](t.Context(), s.c, "/api/v1/events", nil)
	if err != nil || !strings.Contains(events.Items[0].Says, "has everything again") {
		t.Errorf("%+v %v", events.Items[0], err)
	}
}

// TestAgentAlone: without the service an agent restores from what it has kept, and comes back when the service does.
func TestAgentAlone(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(twoQueues)
	d := newDesk(t, deskOne)
	d.run(s.URL, s.tokenFor("agent", access.Agent, "desk-1"))
	d.has("everybody/lobby mira/hall")
	d.stop()
	if err := os.RemoveAll(filepath.Join(d.dir, "users")); err != nil {
		t.Fatal(err)
	}
	d.run("http://127.0.0.1:1", "cirque_of_no_use")
	d.has("everybody/lobby mira/hall")
}

// TestSessionHost: each session is a context of its own, and its queues are its user's alone.
func TestSessionHost(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(strings.Replace(twoPeople, `["user:mira"]`, `["user:mira", "user:jonas"]`, 1))
	s.publish(twoQueues)
	d := newDesk(t, "machine: host-1\nplatform: windows/x64\naddresses: [10.9.0.1]\nsessions:\n- {user: mira, session: "+
		"remote, machine: desk-1, addresses: [10.1.0.7]}\n- {user: jonas, session: remote, machine: desk-2, addresses: "+
		"[10.2.0.7]}\n")
	d.run(s.URL, s.tokenFor("agent", access.Agent, "host-1"))
	d.has("everybody/lobby jonas/yard mira/hall")
	e := s.reaches("host-1", endpoint.Converged)
	if len(e.Report.Contexts) != 3 || *e.Report.Contexts[1].Host != "host-1" || *e.Report.Contexts[1].Machine != "desk-1" {
		t.Errorf("%+v", e.Report.Contexts)
	}
}

// TestRemovedByAPerson: it comes back, or stays away, as the grant says.
func TestRemovedByAPerson(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(strings.Replace(twoQueues, "on: [\"machine:desk-1\"]", "on: [\"machine:desk-1\"], if_removed: leave", 1))
	d := newDesk(t, deskOne)
	token := s.tokenFor("agent", access.Agent, "desk-1")
	d.run(s.URL, token)
	d.has("everybody/lobby mira/hall")
	s.reaches("desk-1", endpoint.Converged)
	d.stop()
	for _, f := range []string{"everybody/lobby.yaml", "users/mira/hall.yaml"} {
		if err := os.Remove(filepath.Join(d.dir, f)); err != nil {
			t.Fatal(err)
		}
	}
	d.run(s.URL, token)
	d.has("mira/hall")
	within(t, "the report says what stays away", func() bool {
		e, err := s.endpoint("desk-1")
		return err == nil && e.State == endpoint.Converged && len(e.Report.Removed) == 1 &&
			e.Report.Removed[0].Queue == "lobby"
	})
}

// TestDatabaseAway: lineups go on from memory, readiness says why not, and all is well again afterwards.
func TestDatabaseAway(t *testing.T) {
	t.Parallel()
	dir, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	data := filepath.Join(dir, "data")
	// What is killed keeps its data as it does in earnest; and reaches nothing but loopback.
	_, lead := withStandIns(t, sim.Spec{For: "192.0.2.1:631", Name: "p"})
	o := app.Options{Data: data, Listen: "127.0.0.1:0", PlainHTTP: true, AllowOutgoing: loopback}
	lead(&o)
	r, err := app.Start(t.Context(), o)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = r.Stop() })
	s := &aService{Running: r, t: t, data: t.TempDir()}
	s.token = s.tokenFor("test", access.Administrator, "")
	s.c = s.client(s.token)
	s.importDirectory(twoPeople)
	s.publish(oneQueue)
	ready := func() bool {
		_, err := apiclient.Get[api.Readiness](t.Context(), s.c, "/readyz", url.Values{"for": {"writing"}})
		return err == nil
	}
	within(t, "ready", ready)
	// Its place is taken away, so that the keeper cannot start it again at once.
	killDatabase(t, data, true)
	within(t, "readiness says so", func() bool { return !ready() })
	if l, _ := ask(t, s.c, `{"user":"mira"}`); len(l.Entries) != 1 {
		t.Errorf("without the database: %+v", l)
	}
	// The killed server's children serve on for a moment.
	within(t, "what needs the database says so", func() bool {
		code, _, errs := s.run("history")
		return code == cmdline.ExitUnavailable && strings.Contains(errs, "database")
	})
	killDatabase(t, data, false)
	within(t, "ready again", ready)
	s.publish(twoQueues)
	if l, _ := ask(t, s.c, `{"user":"mira"}`); l.Revision != 2 {
		t.Errorf("afterwards: %+v", l)
	}
}

// killDatabase kills the database of a data directory as kill -9 does and hides its data, or puts the data back.
func killDatabase(t *testing.T, data string, away bool) {
	t.Helper()
	place, hidden := filepath.Join(data, "postgres", "data"), filepath.Join(data, "postgres", "hidden")
	if !away {
		if err := os.Rename(hidden, place); err != nil {
			t.Fatal(err)
		}
		return
	}
	pid := databasePID(t, data)
	if err := os.Rename(place, hidden); err != nil {
		t.Fatal(err)
	}
	p, err := os.FindProcess(pid)
	if err == nil {
		err = p.Kill()
	}
	if err != nil {
		t.Fatal(err)
	}
}

// TestRefresh: a call makes an agent restore what a person removed, and report, without waiting for its interval.
func TestRefresh(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(twoQueues)
	d := newDesk(t, deskOne)
	d.run(s.URL, s.tokenFor("agent", access.Agent, "desk-1"))
	d.has("everybody/lobby mira/hall")
	before := s.reaches("desk-1", endpoint.Converged).LastSeen
	within(t, "the agent waits", func() bool { return s.Service.Present.Agents.Polls() == 1 })
	if err := os.Remove(filepath.Join(d.dir, "users", "mira", "hall.yaml")); err != nil {
		t.Fatal(err)
	}
	code, out, errs := s.run("endpoint", "refresh", "DESK-1")
	if code != 0 || !strings.Contains(out, "desk-1 was called") || !strings.Contains(out, "asks again within") {
		t.Fatalf("%d %s%s", code, out, errs)
	}
	d.has("everybody/lobby mira/hall")
	within(t, "it has reported", func() bool {
		e, err := s.endpoint("desk-1")
		return err == nil && e.LastSeen.After(before)
	})
	if code, _, _ := s.run("endpoint", "refresh", "nobody"); code != 4 {
		t.Errorf("an unknown endpoint: %d", code)
	}
	for args, want := range map[string]string{"person mira": "clerks", "machine desk-1": "lobby",
		"person JONAS": "none has reported one"} {
		if code, out, errs := s.run(strings.Fields(args)...); code != 0 || !strings.Contains(out, want) {
			t.Errorf("%s: %d %s%s", args, code, out, errs)
		}
	}
	if code, _, errs := s.run("person", "nobody.at.all"); code != 4 || !strings.Contains(errs, "nothing is known") {
		t.Errorf("%d %s", code, errs)
	}
}
