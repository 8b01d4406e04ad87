package test

import (
	"bytes"
	"io"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"cirque/core/access"
	"cirque/core/stock"
	"cirque/internal/agent"
	"cirque/internal/apiclient"
	"cirque/internal/sim"
)

// TestCheckup: the checks isolate a fault, from the service's place and from the endpoint's own, and a test page is
// printed from there.
func TestCheckup(t *testing.T) {
	t.Parallel()
	s := startService(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	s.publish(pairOn("standby", one, two, "{return_over: 0s}"))
	s.importDirectory("directory: 1\nusers: [{name: mira}]\nmachines: [{name: desk-1}, {name: desk-2}]\n")
	if code, out, _ := s.run("endpoint", "checkup", "desk-2"); code != 8 || !strings.Contains(out, "never reported") ||
		!strings.Contains(out, "cirque enrol token") {
		t.Error(code, out)
	}
	if code, _, errs := s.run("endpoint", "checkup", "desk-9"); code != 4 {
		t.Error(code, errs)
	}
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\nsessions: [{user: mira}]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	within(t, "the endpoint has its queues", func() bool {
		return d.file("users/mira/hall.yaml") != "" && s.Service.Present.Agents.Polls() == 1
	})
	code, out, errs := s.run("endpoint", "checkup", "desk-1", "--queue", "hall")
	contains(t, "the checkup", out, "its agent is connected", "a token of its own", "Does its spooler work? "+
		"stand-in answers", "Is hall of mira there? installed, with the driver driverless", one.Addr()+"/printers/hall "+
		"answers from this machine",
		"127.0.0.1:1 refuses the connection", "Does a test page to hall come out?", "which took it")
	if code != 8 || !strings.Contains(out, "The first that is wrong: ipp://127.0.0.1:1/") {
		t.Error(code, out, errs) // the server far is not there
	}
	if jobs := one.Jobs(); len(jobs) != 1 || !strings.Contains(string(jobs[0].Body), "Queue    hall") ||
		!strings.Contains(string(jobs[0].Body), "Machine  desk-1") {
		t.Errorf("%+v", jobs)
	}
	// At the machine itself: what somebody broke is mended at once, not only at the next look.
	d.write("users/mira/hall.yaml", "installed_by: cirque\nuri: ipp://192.0.2.1/\n")
	if err := agent.CallHere(filepath.Join(d.dir, ".agent")); err != nil {
		t.Fatal(err)
	}
	within(t, "the queue is mended", func() bool { return strings.Contains(d.file("users/mira/hall.yaml"), one.Addr()) })
	d.stop()
	if code, out, _ := s.run("endpoint", "checkup", "desk-1", "--wait", "1s"); code != 0 || !strings.Contains(out,
		"has not answered from its own place yet") || !strings.Contains(out, "unproven  Does it reach the service?") {
		t.Error(code, out)
	}
}

// TestSignedAnswers: an agent takes no answer that somebody between altered, and goes on with what it has.
func TestSignedAnswers(t *testing.T) {
	t.Parallel()
	s := startService(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	s.publish(pairOn("standby", one, two, "{return_over: 0s}"))
	to, err := url.Parse(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	var forge, forged atomic.Int64
	between := httputil.NewSingleHostReverseProxy(to)
	between.ModifyResponse = func(r *http.Response) error {
		if forge.Load() == 0 || !strings.HasSuffix(r.Request.URL.Path, "/batch") || r.StatusCode != http.StatusOK {
			return nil
		}
		b, err := io.ReadAll(r.Body)
		if err != nil {
			return err
		}
		b = bytes.ReplaceAll(b, []byte(two.Addr()), []byte("192.0.2.66"))
		forged.Add(1)
		r.Body = io.NopCloser(bytes.NewReader(b))
		r.Header.Del("Content-Length")
		r.ContentLength = -1
		return nil
	}
	proxy := &http.Server{Handler: between}
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go func() { _ = proxy.Serve(ln) }()
	t.Cleanup(func() { _ = proxy.Close() })
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\nsessions: [{user: mira}]\n")
	d.run("http://"+ln.Addr().String(), s.tokenFor("desk-1", access.Agent, "desk-1"))
	within(t, "the queue leads to the first", func() bool {
		return strings.Contains(d.file("users/mira/hall.yaml"), one.Addr())
	})
	forge.Store(1)
	s.must("drain", "ps-1", "--reason", "try")
	within(t, "forged answers were given", func() bool { return forged.Load() >= 2 })
	if f := d.file("users/mira/hall.yaml"); !strings.Contains(f, one.Addr()) {
		t.Error("a forged answer was taken:", f)
	}
	forge.Store(0)
	within(t, "the true answer is taken", func() bool {
		return strings.Contains(d.file("users/mira/hall.yaml"), two.Addr())
	})
	if strings.Contains(d.log(), "192.0.2.66") {
		t.Error(d.log())
	}
}

// TestSetsAndFigures: what a member of a set lacks is shown and is a finding, and the figures name it all.
func TestSetsAndFigures(t *testing.T) {
	t.Parallel()
	s := startService(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	two.Change(func([]sim.Queue) []sim.Queue { return []sim.Queue{{Name: "else"}} })
	s.publish(pairOn("standby", one, two, "{return_over: 0s}"))
	for _, n := range []string{"ps-1", "ps-2"} {
		s.must("server", "read", n)
	}
	contains(t, "the sets", s.must("server", "set"), "pair", "standby", "ps-2", "1 queue relied on and missing "+
		"on a member")
	contains(t, "the set", s.must("server", "set", "pair"), "MISSING", "hall", "yes")
	v, err := apiclient.Get[stock.SetView](t.Context(), s.c, "/api/v1/stock/sets/pair", nil)
	if err != nil || v.Missing != 1 || len(v.Rows) != 2 {
		t.Errorf("%+v %v", v, err)
	}
	o, err := apiclient.Get[struct{ Findings []struct{ Says string } }](t.Context(), s.c, "/api/v1/overview", nil)
	if err != nil || len(o.Findings) == 0 || !strings.Contains(o.Findings[0].Says, "ps-2 has no queue hall") {
		t.Errorf("%+v %v", o, err)
	}
	if code, _, _ := s.run("server", "set", "nowhere"); code != 4 {
		t.Error(code)
	}
	s.must("drain", "ps-1", "--reason", "try")
	ask := func(token string) (int, string) {
		req, err := http.NewRequestWithContext(t.Context(), "GET", s.URL+"/metrics", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+token)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = resp.Body.Close() }()
		b, _ := io.ReadAll(resp.Body)
		return resp.StatusCode, string(b)
	}
	code, text := ask(s.token)
	contains(t, "the figures", text, `cirque_server_duty{server="ps-1"} 0`, `cirque_server_duty{server="ps-2"} 1`,
		`cirque_worker_running{worker="present"} 1`, `cirque_worker_restarts_total{worker="samples"} 0`,
		"cirque_estate_revision 1", "cirque_database_up 1", "cirque_agents_waiting 0",
		`cirque_http_requests_total{method="POST",route="/api/v1/servers/:name/drain",status="200"} 1`)
	if code != http.StatusOK {
		t.Error(code)
	}
	if code, _ := ask(s.tokenFor("desk-1", access.Agent, "desk-1")); code != http.StatusForbidden {
		t.Error("an agent sees the figures:", code)
	}
}
