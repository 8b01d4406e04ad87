package test

import (
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/app"
	"cirque/internal/testkit"
)

// TestServerDiesWhileLeaderIsFrozen: of two services the one that probes is frozen, as a machine that is paused. A
// print server dies meanwhile. The other goes on within seconds; the frozen one wakes, says how old what it knows is,
// and does no harm.
func TestServerDiesWhileLeaderIsFrozen(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	begin := func() *process {
		dir, err := scratch()
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = os.RemoveAll(dir) })
		data := filepath.Join(dir, "data")
		table := strconv.Quote(one.Addr()) + ": " + strconv.Quote(one.Addr()) + "\n" + strconv.Quote(two.Addr()) + ": " +
			strconv.Quote(two.Addr()) + "\n"
		if err := os.WriteFile(data+"-table.yaml", []byte(table), 0o600); err != nil {
			t.Fatal(err)
		}
		return startProcess(t, data, serveOn+"="+database)
	}
	both := []*process{begin(), begin()}
	both[0].publish(pairOn("standby", one, two, "{probe_every: 2s, up_after: 1, return_over: 0s}"))
	probes := func(p *process) bool { return p.leads("health") }
	within(t, "one probes", func() bool { return probes(both[0]) || probes(both[1]) })
	leader, other := both[0], both[1]
	if probes(other) {
		leader, other = other, leader
	}
	within(t, "the server is known to answer", func() bool {
		_, out, _ := other.run("health")
		return strings.Contains(out, "ps-1  up")
	})
	led := func(p *process, to string) (bool, int) {
		resp, err := p.c.Raw(t.Context(), http.MethodPost, "/api/v1/lineups", nil, nil, map[string]string{"user": "mira"})
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = resp.Body.Close() }()
		age, _ := strconv.Atoi(resp.Header.Get("Age"))
		b := make([]byte, 64<<10)
		n, _ := resp.Body.Read(b)
		return strings.Contains(string(b[:n]), to), age
	}
	if err := leader.cmd.Process.Signal(syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	begun := time.Now()
	if err := one.Close(); err != nil {
		t.Fatal(err)
	}
	within(t, "people are led elsewhere", func() bool { ok, _ := led(other, two.Addr()); return ok })
	if took := time.Since(begun); took > 30*time.Second {
		t.Errorf("it took %v", took)
	}
	if err := leader.cmd.Process.Signal(syscall.SIGCONT); err != nil {
		t.Fatal(err)
	}
	if old, age := led(leader, one.Addr()); old && age < 10 {
		t.Errorf("it answers what was %v ago, and says that it is %d s old", time.Since(begun), age)
	}
	within(t, "it has caught up", func() bool { ok, age := led(leader, two.Addr()); return ok && age == 0 })
	within(t, "one of them probes", func() bool { return probes(leader) != probes(other) })
	if n := strings.Count(other.events(), "The server ps-1 does not answer"); n != 1 {
		t.Errorf("it was told %d times", n)
	}
}

// TestTokenMadeBeside: a token that was made beside the data is known to the running services when the command returns.
func TestTokenMadeBeside(t *testing.T) {
	t.Parallel()
	s := startService(t)
	other := s.startOn(t, s.database)
	for i := range 8 {
		secret, err := app.MakeToken(t.Context(), app.Options{Data: s.data, Database: s.database}, access.Token{
			Name: "beside " + strconv.Itoa(i), Role: access.Auditor})
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range []*aService{s, other} {
			if r.Service.Identity.ByToken(secret) == nil {
				t.Errorf("token %d is not known", i)
			}
		}
	}
	// A service that says nothing more is told of, and the token is made all the same.
	testkit.Exec(t, s.database, "INSERT INTO process (id, started, seen, version) VALUES ('frozen', now(), now() + "+
		"interval '1 minute', '')")
	secret, err := app.MakeToken(t.Context(), app.Options{Data: s.data, Database: s.database}, access.Token{Name: "late",
		Role: access.Auditor})
	if secret == "" || fault.As(err) == nil || fault.As(err).Code != "not-heard" {
		t.Errorf("%q %v", secret, err)
	}
	code, out, errs := s.run("token", "create", "--name", "later", "--role", "auditor", "--database", s.database,
		"--data", s.data)
	if code != 0 || !strings.HasPrefix(out, "cirque_") || !strings.Contains(errs, "have not said that they know it") {
		t.Errorf("the command: %d %s %s", code, out, errs)
	}
}

// TestDrainedAgain: who drains a server again says why now, and that is what everybody reads.
func TestDrainedAgain(t *testing.T) {
	t.Parallel()
	s := startService(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	s.publish(pairOn("spread", one, two, "{return_over: 0s}"))
	s.must("drain", "ps-1", "--reason", "driver update")
	s.must("drain", "ps-1", "--reason", "the room is flooded")
	contains(t, "what is out of duty", s.must("duties"), "ps-1", "the room is flooded")
	contains(t, "the events", s.events(), "was drained: driver update", "was drained: the room is flooded")
	before := strings.Count(s.events(), "was drained")
	s.must("drain", "ps-1", "--reason", "the room is flooded")
	if after := strings.Count(s.events(), "was drained"); after != before {
		t.Error("the same drain was told twice")
	}
}

// TestUnrecordedTestPage: a test page that went out and could not be recorded says so.
func TestUnrecordedTestPage(t *testing.T) {
	t.Parallel()
	s := startService(t)
	p := printServer(t, "127.0.0.1:0")
	s.importDirectory(twoPeople)
	s.publish(`estate: 1
servers: [{name: ps-1, uri: "ipp://` + p.Addr() + `/"}]
queues: [{name: hall, paths: [{server: ps-1}]}]
grants: [{name: g, effect: place, queues: [hall], to: ["everyone"]}]
`)
	send := func() map[string]any {
		t.Helper()
		var out map[string]any
		if err := s.c.Do(t.Context(), "POST", "/api/v1/test-pages", nil, map[string]any{"queue": "hall",
			"context": map[string]any{"user": "mira"}}, &out); err != nil {
			t.Fatal(err)
		}
		return out
	}
	if out := send(); out["recorded"] != true {
		t.Errorf("%v", out)
	}
	testkit.Exec(t, s.database, "ALTER TABLE event RENAME TO event_away")
	if out := send(); out["recorded"] != false {
		t.Errorf("while nothing can be kept: %v", out)
	}
	_, out, _ := s.run("test-page", "hall", "--user", "mira")
	contains(t, "the command", out, "It is not in the audit")
	testkit.Exec(t, s.database, "ALTER TABLE event_away RENAME TO event")
	if n := testkit.One[int](t, s.database, "SELECT count(*)::int FROM event WHERE kind = 'queue.test-page'"); n != 1 {
		t.Errorf("%d are recorded", n)
	}
}
