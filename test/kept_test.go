package test

import (
	"bytes"
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/job"
	"cirque/core/server"
	"cirque/internal/agent"
	"cirque/internal/apiclient"
	ippclient "cirque/internal/probe/ipp"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

// serverMachine is a machine of a name, on which nobody sits.
type serverMachine string

func (m serverMachine) Facts(context.Context) (agent.Facts, error) {
	return agent.Facts{Machine: string(m), Platform: "linux/x64"}, nil
}

// keep runs an agent that keeps a spooler as a print server's, until the test ends or stop is called.
func (s *aService) keep(t *testing.T, machine string, spooler agent.ServerSpooler) (stop func()) {
	t.Helper()
	return s.keepWith(t, spooler, agent.Config{Service: s.URL, Token: s.tokenFor("keeper of "+machine, access.Agent, machine),
		State: filepath.Join(t.TempDir(), "agent"), Version: "test", Machine: serverMachine(machine)})
}

func (s *aService) keepWith(t *testing.T, spooler agent.ServerSpooler, cfg agent.Config) (stop func()) {
	t.Helper()
	k, err := agent.NewKeeper(cfg, spooler)
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- k.Run(ctx) }()
	stopped := false
	stop = func() {
		if stopped {
			return
		}
		stopped = true
		cancel()
		if err := <-done; err != nil {
			t.Error(err)
		}
	}
	t.Cleanup(stop)
	return stop
}

// kept gives how a kept server stands.
func (s *aService) kept(name string) server.Sheet {
	s.t.Helper()
	v, err := apiclient.Get[server.Sheet](s.t.Context(), s.c, "/api/v1/kept-servers/"+name, nil)
	if err != nil {
		s.t.Fatal(err)
	}
	return v
}

// asWanted waits until a server has what it is to have.
func (s *aService) asWanted(name string) server.Sheet {
	s.t.Helper()
	var v server.Sheet
	defer func() {
		if s.t.Failed() {
			s.t.Logf("%+v", v)
		}
	}()
	within(s.t, name+" has what it should", func() bool {
		v = s.kept(name)
		return v.State == server.AsWanted
	})
	return v
}

// unixServer is Debian's spooler as a server's.
func unixServer(t *testing.T) (*testkit.UnixSpooler, *agent.UnixServer) {
	t.Helper()
	s := testkit.NewUnixSpooler(t, false)
	u, err := agent.NewUnixServer(s.Socket)
	if err != nil {
		t.Fatal(err)
	}
	return s, u
}

// printer is a stand-in of a device.
func printer(t *testing.T, name string) *sim.Printer {
	t.Helper()
	p := &sim.Printer{Spec: sim.Spec{Name: name, Model: "Mono 40"}}
	if err := p.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	return p
}

// send prints a page to a queue of a spooler as somebody.
func send(t *testing.T, at *testkit.UnixSpooler, queue, owner, page string) error {
	t.Helper()
	_, err := ippclient.New(nil).Print(t.Context(), at.URI+"printers/"+queue, job.Document{Name: "page", Owner: owner,
		Format: "application/pdf"}, bytes.NewReader([]byte(page)))
	return err
}

// TestServerFromNothing: a server that was empty before the publish gets the queues that the estate alone describes, with
// driver and defaults; a page comes out of it; who may not print, and whoever prints outside the hours, is refused with
// the sentence; the same file sets up another server elsewhere.
func TestServerFromNothing(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory("directory: 1\nusers: [{name: mira}, {name: jonas}, {name: ida}]\ngroups: [{name: clerks, members: [\"user:mira\", " +
		"\"user:ida\"]}]\n")
	s.must("driver", "add", folder(t, map[string]string{"mono.ppd": somePPD("Skerrymark Mono 40")}), "--name", "mono")
	hall, mail, mail2 := printer(t, "hall"), printer(t, "mail"), printer(t, "mail-2")
	uri := func(p *sim.Printer) string { return "ipp://" + p.Addr() + "/ipp/print" }
	spooler, u := unixServer(t)
	s.keep(t, "ps-new", u)
	within(t, "the machine is listed", func() bool {
		return strings.Contains(s.must("server", "kept"), "ready")
	})
	contains(t, "before the draft", s.must("server", "kept"), "(none)", "ps-new", "the estate has no kept server for ps-new")
	estate := func(server, more string) string {
		return fmt.Sprintf(`estate: 1
locations: [{path: ard, title: Ardholm, timezone: Europe/Oslo}, {path: ard/hall, title: Booking hall}]
drivers: [{name: mono, exact: "Skerrymark Mono 40", platform: linux}]
servers: [{name: %[1]s, uri: "%[5]s", kept: true, location: ard}]
devices: [{name: hall, uri: %[2]q}, {name: mail, uri: %[3]q}, {name: mail-2, uri: %[4]q}]
queues:
  - {name: hall-mono, title: Hall, location: ard/hall, devices: [hall], paths: [{server: %[1]s, remote_name: HallMono}],
     drivers: {"linux": mono}, defaults: {sides: two-sided-long-edge}, access: {allow: ["group:clerks"]}, on_servers: {comment: By the window}}
  - {name: mail-room, location: ard, devices: [mail, mail-2], paths: [{server: %[1]s}]%[6]s}
  - {name: elsewhere, devices: [hall], paths: [{device: hall}]}
`, server, uri(hall), uri(mail), uri(mail2), spooler.URI, more)
	}
	s.publish(estate("ps-new", ""))
	v := s.asWanted("ps-new")
	if v.Right != 2 || v.Wanted != 2 {
		t.Errorf("%+v", v)
	}
	by, err := ippclient.NewSpooler(spooler.Socket)
	if err != nil {
		t.Fatal(err)
	}
	q, err := by.Queue(t.Context(), "HallMono")
	if err != nil || q == nil || q.Title != "By the window" || q.Location != "Booking hall, Ardholm" || !q.Shared ||
		q.Model != "Skerrymark Mono 40" || fmt.Sprint(q.Allowed) != "[ida mira]" {
		t.Fatalf("%+v %v", q, err)
	}
	if err := send(t, spooler, "HallMono", "mira", "%PDF-1.4 one"); err != nil {
		t.Fatal(err)
	}
	within(t, "the page comes out", func() bool { return len(hall.Jobs()) == 1 })
	if j := hall.Jobs()[0]; string(j.Body) != "%PDF-1.4 one" || j.Owner != "mira" || j.Asked["sides"] != "two-sided-long-edge" {
		t.Errorf("at the device: %+v", j)
	}
	if err := send(t, spooler, "HallMono", "jonas", "%PDF-1.4 two"); err == nil {
		t.Error("jonas may not, and printed")
	}
	for i := range 2 { // both members of the class take some
		if err := send(t, spooler, "mail-room", "jonas", fmt.Sprintf("%%PDF-1.4 %d", i)); err != nil {
			t.Fatal(err)
		}
	}
	within(t, "both pages come out of the pool", func() bool { return len(mail.Jobs())+len(mail2.Jobs()) == 2 })
	contains(t, "why", s.must("server", "why", "ps-new", "hall-mono"), "is to be on ps-new", `as "HallMono"`,
		`with the driver "Skerrymark Mono 40"`, "for ida, mira")
	contains(t, "why not", s.must("server", "why", "ps-new", "elsewhere"), "is not to be on ps-new", "no path of elsewhere")

	// Outside its hours it refuses, with the sentence as the spooler's message.
	now := time.Now()
	shut := fmt.Sprintf(`, open: [{from: "%s", to: "%s"}]`, now.Add(3*time.Hour).UTC().Format("15:04"),
		now.Add(4*time.Hour).UTC().Format("15:04"))
	s.publish(strings.Replace(estate("ps-new", shut), ", timezone: Europe/Oslo", "", 1))
	s.asWanted("ps-new")
	if err := send(t, spooler, "mail-room", "jonas", "%PDF-1.4 late"); err == nil {
		t.Error("it is closed, and took a job")
	}
	within(t, "it says why", func() bool {
		q, err := by.Queue(t.Context(), "mail-room")
		return err == nil && q != nil && strings.Contains(q.Message, "the queue mail-room is closed at this hour; it takes jobs again from")
	})
	contains(t, "closed", s.must("server", "kept", "ps-new", "--all"), "closed at this hour")

	// The same file, with another server's name, sets up another.
	_, u2 := unixServer(t)
	s.keep(t, "ps-second", u2)
	s.publish(estate("ps-second", ""))
	if v := s.asWanted("ps-second"); v.Right != 2 {
		t.Errorf("%+v", v)
	}
	contains(t, "kept no more", s.must("server", "kept", "ps-new"), "is ready to keep a print server", "it was kept, and is "+
		"left as it was")
	if code, _, errs := s.run("server", "kept", "ps-third"); code == 0 || !strings.Contains(errs, "no server \"ps-third\"") {
		t.Error(code, errs)
	}
}

// TestServerOthers: what was on a server before is listed and left, stands in the way of a queue of the estate, and
// becomes Cirque's own when somebody says so; what is no longer wanted goes, and what others made stays.
func TestServerOthers(t *testing.T) {
	t.Parallel()
	s := startService(t)
	spooler, u := unixServer(t)
	for _, q := range []string{"hall", "theirs"} {
		if err := spooler.SetUpByHand(t.Context(), q, "ipp://127.0.0.1:9/by-hand"); err != nil {
			t.Fatal(err)
		}
	}
	const text = `estate: 1
servers: [{name: ps, uri: "ipp://ps.example:631/", kept: true}]
devices: [{name: d, uri: "ipp://127.0.0.1:9/ipp/print"}]
queues: [{name: hall, devices: [d], paths: [{server: ps}]}, {name: mail, devices: [d], paths: [{server: ps}]}]
`
	s.publish(text)
	contains(t, "before", s.must("server", "kept"), "waiting", "cirque enrol token --server ps")
	s.keep(t, "ps", u)
	within(t, "it is in the way", func() bool { return s.kept("ps").State == server.Failing })
	contains(t, "in the way", s.must("server", "kept", "ps"), "in-the-way", "theirs", "other", "cirque server take ps",
		"cirque adopt --server ps")
	within(t, "it is among what is wrong", func() bool {
		return strings.Contains(s.must("faults"), "the server ps is not as the estate wants it: 1 queue of 2 cannot be brought")
	})
	within(t, "the rest is brought there all the same", func() bool { return s.kept("ps").Right == 1 })
	if code, _, errs := s.run("server", "take", "ps", "theirs"); code == 0 || !strings.Contains(errs, "taken over, it would go") {
		t.Error(code, errs)
	}
	contains(t, "taken", s.must("server", "take", "ps"), "hall")
	if v := s.asWanted("ps"); v.Right != 2 || v.Others != 1 {
		t.Errorf("%+v", v)
	}
	if code, _, errs := s.run("server", "take", "ps"); code == 0 || !strings.Contains(errs, "in the way") {
		t.Error(code, errs)
	}
	s.publish(strings.Replace(text, ", {name: mail, devices: [d], paths: [{server: ps}]}", "", 1))
	if v := s.asWanted("ps"); v.Right != 1 || v.Others != 1 {
		t.Errorf("%+v", v)
	}
	by, err := ippclient.NewSpooler(spooler.Socket)
	if err != nil {
		t.Fatal(err)
	}
	queues, err := by.Queues(t.Context())
	if err != nil || len(queues) != 2 || queues[0].Name != "hall" || queues[1].Device != "ipp://127.0.0.1:9/by-hand" {
		t.Errorf("%+v %v", queues, err)
	}
}
