package test

import (
	"io"
	"net/http"
	"strings"
	"syscall"
	"testing"

	"cirque/internal/testkit"
)

// leads says whether a process does the work of a worker, by its own figures.
func (p *process) leads(worker string) bool {
	p.t.Helper()
	req, err := http.NewRequestWithContext(p.t.Context(), "GET", p.URL+"/metrics", nil)
	if err != nil {
		p.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+p.token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		p.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	b, err := io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode != http.StatusOK {
		p.t.Fatal(resp.Status, err)
	}
	return strings.Contains(string(b), `cirque_worker_running{worker="`+worker+`"} 1`)
}

// TestFrozenLeader: of two processes on one database one probes; where it is frozen the other goes on, and it does not
// when it wakes; where that one's connection for leases is cut it goes on by itself.
func TestFrozenLeader(t *testing.T) {
	t.Parallel()
	database := testkit.Database(t)
	start := func() *process { return startProcess(t, t.TempDir(), serveOn+"="+database) }
	a := start()
	within(t, "the first probes", func() bool { return a.leads("health") })
	b := start()
	if b.leads("health") {
		t.Error("both probe")
	}
	if err := a.cmd.Process.Signal(syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	within(t, "the other goes on", func() bool { return b.leads("health") })
	if err := a.cmd.Process.Signal(syscall.SIGCONT); err != nil {
		t.Fatal(err)
	}
	within(t, "the first has stopped", func() bool { return !a.leads("health") })
	if !b.leads("health") {
		t.Error("the other stopped, too")
	}
	testkit.Exec(t, database, "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query LIKE '%INTO lease%' "+
		"AND datname = current_database() AND pid <> pg_backend_pid()")
	within(t, "a lease is renewed over a new connection", func() bool {
		return testkit.One[int](t, database, "SELECT count(*)::int FROM lease WHERE name = 'health' AND "+
			"ends > clock_timestamp() + interval '12 s'") == 1
	})
	if !b.leads("health") || a.leads("health") {
		t.Error("a cut connection changed who probes")
	}
}
