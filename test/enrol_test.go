package test

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/internal/agent"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
)

const enrolEstate = `estate: 1
locations: [{path: ardholm, cut: 40d}, {path: brannoy}]
subnets: [{cidr: 10.40.8.0/22, location: ardholm}, {cidr: 10.41.0.0/24, location: brannoy}]
queues:
  - {name: hall, location: ardholm, paths: [{gateway: true}]}
  - {name: desk, location: ardholm, paths: [{gateway: true}]}
grants:
  - {name: all, effect: place, queues: [hall]}
  - {name: miras, effect: place, queues: [desk], to: ["user:mira.solvang"]}
`

// enrolling is a service over TLS, with an estate and a clock that can be moved.
type enrolling struct {
	*aService
	ahead *atomic.Int64 // how far the service's clock is ahead
	ca    []byte
}

func startEnrolling(t *testing.T) *enrolling {
	t.Helper()
	ahead := new(atomic.Int64)
	s := startService(t, func(o *app.Options) {
		o.PlainHTTP, o.Data = false, t.TempDir() // with an authority of its own
		o.Now = func() time.Time { return time.Now().Add(time.Duration(ahead.Load())) }
	})
	ca, err := os.ReadFile(s.CAFile)
	if err != nil {
		t.Fatal(err)
	}
	if s.c, err = apiclient.New(s.URL, s.token, ca); err != nil {
		t.Fatal(err)
	}
	s.publish(enrolEstate)
	s.importDirectory("directory: 1\nusers: [{name: mira.solvang}]\nmachines: [{name: till-1$, location: ardholm}, " +
		"{name: till-2, location: brannoy}]")
	return &enrolling{s, ahead, ca}
}

func (e *enrolling) enrolToken(site string, uses int) string {
	e.t.Helper()
	made, err := apiclient.Post[api.MadeEnrolToken](e.t.Context(), e.c, "/api/v1/enrolment-tokens",
		api.NewEnrolToken{Name: site + "-" + time.Now().Format("150405.000000"), Site: site, Uses: uses})
	if err != nil {
		e.t.Fatal(err)
	}
	return made.Secret
}

// runEnrolled starts the agent of a desk that is enrolled.
func (d *desk) runEnrolled(other ...func(*agent.Config)) {
	d.t.Helper()
	standIn, err := agent.NewStandIn(d.dir)
	if err != nil {
		d.t.Fatal(err)
	}
	cfg := agent.Config{State: filepath.Join(d.dir, ".agent"), Version: "test", Spooler: standIn,
		Machine: standIn, Look: 20 * time.Millisecond, Wait: time.Second, Spread: time.Millisecond}
	for _, f := range other {
		f(&cfg)
	}
	a, err := agent.New(cfg)
	if err != nil {
		d.t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { _ = a.Run(ctx) })
	d.stop = func() { cancel(); wg.Wait() }
}

func facts(machine string, addresses ...string) agent.Facts {
	return agent.Facts{Machine: machine, Addresses: addresses}
}

// as speaks as an enrolled machine, without an agent.
func (e *enrolling) as(id agent.Identity, method, path, body string) (int, api.Problem) {
	e.t.Helper()
	pair, err := tls.X509KeyPair([]byte(id.Certificate), []byte(id.Key))
	if err != nil {
		e.t.Fatal(err)
	}
	pool := x509.NewCertPool()
	pool.AppendCertsFromPEM(e.ca)
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool,
		Certificates: []tls.Certificate{pair}}}}
	defer c.CloseIdleConnections()
	req, err := http.NewRequestWithContext(e.t.Context(), method, e.URL+path, bytes.NewReader([]byte(body)))
	if err != nil {
		e.t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	resp, err := c.Do(req)
	if err != nil {
		e.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	var p api.Problem
	_ = json.NewDecoder(resp.Body).Decode(&p) // not every answer is one
	return resp.StatusCode, p
}

// TestEnrolledAgent: a token enrols so many machines, the agent then needs neither token nor address, can ask only as
// its machine, renews by itself, and is out at once when it is revoked.
func TestEnrolledAgent(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	token := e.enrolToken("ardholm", 1)
	d := newDesk(t, "machine: till-1\nplatform: linux/x64\naddresses: [10.40.8.7]\nsessions: [{user: mira.solvang}]\n")
	state := filepath.Join(d.dir, ".agent")
	if _, err := agent.New(agent.Config{State: state}); fault.As(err).Code != "not-enrolled" ||
		!strings.Contains(fault.As(err).Fix, "cirque-agent enrol") {
		t.Errorf("an agent that knows no service: %v", err)
	}
	wrong := token[:len(token)-4] + "0000"
	if _, err := agent.Enrol(t.Context(), e.URL, wrong, state, nil, facts("till-1")); err == nil {
		t.Fatal("a service with another authority than the token says is taken")
	}
	e.ahead.Store(-int64(90 * 24 * time.Hour)) // so that it is to renew soon
	token = e.enrolToken("ardholm", 1)
	id, err := agent.Enrol(t.Context(), e.URL, token, state, nil, facts("till-1", "10.40.8.7"))
	if err != nil {
		t.Fatal(err)
	}
	e.ahead.Store(0)
	from, until, err := id.Lasts()
	if err != nil || id.Machine != "till-1$" || until.Sub(from) < 119*24*time.Hour {
		t.Errorf("%s from %s until %s: a line that may be cut for 40 days asks for 120 (%v)", id.Machine, from, until, err)
	}
	if info, err := os.Stat(filepath.Join(state, "identity.json")); err != nil || info.Mode().Perm() != 0o600 {
		t.Error(info, err)
	}
	at, err := agent.Open("standin:" + d.dir)
	if err != nil {
		t.Fatal(err)
	}
	d.write("everybody/by-hand.yaml", "uri: ipp://192.0.2.1/\n")
	before, err := agent.Plan(t.Context(), at)
	if err != nil {
		t.Fatal(err)
	}
	contains(t, "the plan", strings.Join(before, "\n"), "add      hall for everybody", "leave    by-hand, which "+
		"somebody else set up", "nothing was touched")
	if d.file("everybody/hall.yaml") != "" {
		t.Error("planning touched something")
	}
	if err := os.Remove(filepath.Join(d.dir, "everybody", "by-hand.yaml")); err != nil {
		t.Fatal(err)
	}
	d.runEnrolled()
	d.has("everybody/hall mira.solvang/desk")
	within(t, "the certificate to be renewed", func() bool {
		now, err := agent.ReadIdentity(state)
		if err != nil || now.Certificate == id.Certificate {
			return false
		}
		from, _, err := now.Lasts()
		return err == nil && time.Since(from) < time.Hour && now.Key != id.Key
	})
	for body, want := range map[string]int{`[{"machine":"till-1"}]`: 200,
		`[{"machine":"till-1$","user":"mira.solvang"}]`: 200, `[{"machine":"till-2"}]`: 403,
		`[{"user":"mira.solvang"}]`: 403} {
		if status, p := e.as(id, "POST", "/api/v1/lineups/batch", body); status != want {
			t.Errorf("%s: %d %s", body, status, p.Detail)
		}
	}
	if status, _ := e.as(id, "GET", "/api/v1/estate", ""); status != 403 {
		t.Errorf("an agent reads the estate: %d", status)
	}
	if _, err := agent.Enrol(t.Context(), e.URL, e.enrolToken("", 1), t.TempDir(), nil, facts("TILL-1.skerry.example",
		"10.40.8.9")); err == nil || !strings.Contains(err.Error(), "enrolled since") {
		t.Errorf("a machine is enrolled twice: %v", err)
	}
	if code, out, errs := e.runTLS("enrol", "revoke", "till-1$"); code != 0 {
		t.Fatal(code, out, errs)
	}
	now, err := agent.ReadIdentity(state)
	if err != nil {
		t.Fatal(err)
	}
	for _, any := range []agent.Identity{id, now} {
		if status, p := e.as(any, "POST", "/api/v1/lineups/batch", `[{"machine":"till-1"}]`); status != 401 ||
			p.Code != "certificate-revoked" {
			t.Errorf("after it was revoked: %d %+v", status, p)
		}
	}
	d.has("everybody/hall mira.solvang/desk") // nothing is taken away
	if status, _ := e.as(now, "POST", "/api/v1/enrolments/renew", `{"request":"x"}`); status != 401 {
		t.Errorf("a revoked certificate is renewed: %d", status)
	}
}

// runTLS is run for a service whose authority is its own.
func (e *enrolling) runTLS(args ...string) (int, string, string) {
	return e.run(append(args, "--ca", e.CAFile)...)
}

// TestEnrolmentRefused: whatever is not right lets nobody in, uses nothing up, and is recorded.
func TestEnrolmentRefused(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	enrol := func(token string, f agent.Facts) string {
		_, err := agent.Enrol(t.Context(), e.URL, token, t.TempDir(), e.ca, f)
		if err == nil {
			return ""
		}
		return err.Error()
	}
	ardholm := e.enrolToken("ardholm", 2)
	if got := enrol(ardholm, facts("till-2")); !strings.Contains(got, "is at brannoy") {
		t.Errorf("a machine of another site: %q", got)
	}
	if got := enrol(ardholm, facts("new-1", "10.41.0.9")); !strings.Contains(got, "is at brannoy") {
		t.Errorf("an address of another site: %q", got)
	}
	if got := enrol("cirque-enrol_FORGED.00", facts("new-1")); !strings.Contains(got, "not known") {
		t.Errorf("a forged token: %q", got)
	}
	if got := enrol(ardholm, facts("bad\nname")); !strings.Contains(got, "control characters") {
		t.Errorf("a name with a line's end: %q", got)
	}
	for range 2 {
		if got := enrol("cirque-enrol_FORGED.00", facts("new-1")); !strings.Contains(got, "not known") {
			t.Errorf("a third and fourth: %q", got)
		}
	}
	if got := enrol(ardholm, facts("new-1")); !strings.Contains(got, "too many") {
		t.Errorf("whoever tries often is slowed: %q", got)
	}
	e.ahead.Store(int64(time.Minute))
	for n, want := range map[string]string{"new-1": "", "new-2": ""} {
		if got := enrol(ardholm, facts(n, "10.40.8.9")); got != want {
			t.Errorf("%s: %q", n, got)
		}
	}
	if got := enrol(ardholm, facts("new-3", "10.40.8.9")); !strings.Contains(got, "used up") {
		t.Errorf("a token that is used up: %q", got)
	}
	ended := e.enrolToken("", 1)
	e.ahead.Store(int64(8 * 24 * time.Hour))
	if got := enrol(ended, facts("new-4")); !strings.Contains(got, "has ended") {
		t.Errorf("a token that has ended: %q", got)
	}
	e.ahead.Store(0)
	list, err := apiclient.List[access.Enrolled](t.Context(), e.c, "/api/v1/enrolments", nil)
	if err != nil || len(list) != 2 {
		t.Errorf("%+v %v", list, err)
	}
	code, out, _ := e.runTLS("audit", "--kind", "enrol.refused")
	if code != 0 || strings.Count(out, "was not enrolled") != 7 || !strings.Contains(out, "till-2 was not enrolled: the "+
		"enrolment token") {
		t.Errorf("%d\n%s", code, out)
	}
	// The certificate of another authority is none.
	other := startEnrolling(t)
	foreign, err := agent.Enrol(t.Context(), other.URL, other.enrolToken("", 1), t.TempDir(), nil, facts("new-1"))
	if err != nil {
		t.Fatal(err)
	}
	pair, err := tls.X509KeyPair([]byte(foreign.Certificate), []byte(foreign.Key))
	if err != nil {
		t.Fatal(err)
	}
	pool := x509.NewCertPool()
	pool.AppendCertsFromPEM(e.ca)
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{
		RootCAs: pool, GetClientCertificate: func(*tls.CertificateRequestInfo) (*tls.Certificate, error) {
			return &pair, nil
		}}}}
	if resp, err := c.Get(e.URL + "/api/v1/session"); err == nil {
		_ = resp.Body.Close()
		t.Errorf("another authority's certificate is taken: %d", resp.StatusCode)
	}
	if code, _, errs := e.runTLS("enrol", "token", "x", "--site", "nowhere"); code != 3 || !strings.Contains(errs,
		`no site "nowhere"`) {
		t.Errorf("%d %s", code, errs)
	}
}

// TestPersonAtMachine: a sign-in name that no directory has is explained, and its person may say who they are.
func TestPersonAtMachine(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	if _, err := e.Service.Identity.AddAccount(t.Context(), owner, "mira.solvang", "correct horse battery",
		access.Holding{Role: access.Person}); err != nil {
		t.Fatal(err)
	}
	d := newDesk(t, "machine: till-1\nplatform: linux/x64\naddresses: [10.40.8.7]\nsessions: [{user: 'SKERRY\\msol'}]\n")
	state := filepath.Join(d.dir, ".agent")
	if _, err := agent.Enrol(t.Context(), e.URL, e.enrolToken("", 1), state, nil, facts("till-1")); err != nil {
		t.Fatal(err)
	}
	d.runEnrolled()
	d.has("everybody/hall")
	var seen endpoint.Judged
	within(t, "the report", func() bool {
		var err error
		seen, err = apiclient.Get[endpoint.Judged](t.Context(), e.c, "/api/v1/endpoints/till-1$", nil)
		return err == nil
	})
	if len(seen.Says) != 1 || !strings.Contains(seen.Says[0],
		`this machine's sign-in names come from a source (SKERRY) that no directory here knows`) {
		t.Errorf("%q", seen.Says)
	}
	within(t, "the name is listed", func() bool { // soon after the report is stored
		code, out, _ := e.runTLS("directory", "unmatched")
		return code == 0 && strings.Contains(out, `SKERRY\msol  till-1$`)
	})
	standIn, err := agent.NewStandIn(d.dir)
	if err != nil {
		t.Fatal(err)
	}
	lines, err := agent.Status(t.Context(), state, standIn)
	if text := strings.Join(lines, "\n"); err != nil || !strings.Contains(text, `SKERRY\msol is unknown to the service`) ||
		!strings.Contains(text, "at ardholm: hall") {
		t.Errorf("%s %v", text, err)
	}
	r, err := agent.ReachBy(state)
	if err != nil {
		t.Fatal(err)
	}
	if _, asked, err := r.Notice(t.Context(), `SKERRY\msol`); err != nil || !asked {
		t.Errorf("%v %v", asked, err)
	}
	if _, err := r.SayWho(t.Context(), `SKERRY\msol`, "mira.solvang", "wrong"); err == nil ||
		!strings.Contains(err.Error(), "not right") {
		t.Errorf("a wrong password: %v", err)
	}
	if user, err := r.SayWho(t.Context(), `SKERRY\msol`, "mira.solvang", "correct horse battery"); err != nil ||
		user != "mira.solvang" {
		t.Fatal(user, err)
	}
	d.has("everybody/hall mira.solvang/desk")
	if err := r.Forget(`SKERRY\MSOL`); err != nil {
		t.Fatal(err)
	}
	d.has("everybody/hall")
	e.publish(strings.Replace(enrolEstate, "locations:", "settings: {agents: {user_from: ask, notice: Say who you "+
		"are.}}\nlocations:", 1))
	d.write("machine.yaml", "machine: till-1\nplatform: linux/x64\naddresses: [10.40.8.7]\nsessions: [{user: "+
		"mira.solvang}]\n")
	d.has("everybody/hall") // asked, and has not said
	if notice, asked, err := r.Notice(t.Context(), "mira.solvang"); err != nil || !asked || notice != "Say who you are." {
		t.Errorf("%q %v %v", notice, asked, err)
	}
}
