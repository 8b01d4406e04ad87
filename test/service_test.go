package test

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/backup"
	"cirque/internal/cli"
	"cirque/internal/cmdline"
	"cirque/internal/testkit"
	"cirque/internal/testkit/described"
)

// loopback is where the stand-ins of tests are.
var loopback = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("::1/128")}

// A service of a test's own, on a database of its own.
type aService struct {
	*app.Running
	t        testing.TB
	data     string
	database string
	token    string
	c        *apiclient.Client
}

func startService(t *testing.T, change ...func(*app.Options)) *aService {
	t.Helper()
	// Throwaway: it reads servers and devices by itself, and must reach nothing but loopback.
	o := app.Options{Data: withKeys(t, t.TempDir()), Database: testkit.Database(t), Listen: "127.0.0.1:0", PlainHTTP: true,
		Throwaway: true, AllowOutgoing: loopback}
	o.Around = asDescribed(t)
	for _, f := range change {
		f(&o)
	}
	r, err := app.Start(t.Context(), o)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := r.Stop(); err != nil {
			t.Error("stopping:", err)
		}
	})
	s := &aService{Running: r, t: t, data: o.Data, database: o.Database}
	s.token = s.tokenFor("test", access.Owner, "")
	s.c = s.client(s.token)
	return s
}

// asDescribed fails a test where the service answers other than the API's description says.
func asDescribed(t testing.TB) func(http.Handler) http.Handler {
	var over atomic.Bool // an answer may still be on its way when the test has ended
	t.Cleanup(func() { over.Store(true) })
	return func(next http.Handler) http.Handler {
		return described.Around(next, func(what string) {
			if !over.Load() {
				t.Error(what)
			}
		})
	}
}

var owner = &access.Principal{Name: "test", Role: access.Owner}

func (s *aService) tokenFor(name string, role access.Role, machine string) string {
	s.t.Helper()
	_, secret, err := s.Service.Identity.MakeToken(s.t.Context(), owner, access.Token{Name: name, Role: role,
		Machine: machine})
	if err != nil {
		s.t.Fatal(err)
	}
	return secret
}

// everyRole gives a token of each role, the site administrator's for the site ardholm, which is made; nobody's is
// empty.
func (s *aService) everyRole() map[string]string {
	s.t.Helper()
	s.publish("estate: 1\nlocations: [{path: ardholm}, {path: brannoy}]")
	out := map[string]string{"nobody": "", "agent": s.tokenFor("agent", access.Agent, "desk-1")}
	for _, role := range access.Roles() {
		want := access.Token{Name: string(role), Role: role}
		if role == access.SiteAdmin {
			want.Sites = []string{"ardholm"}
		}
		if role == access.Person {
			if _, err := s.Service.Identity.AddAccount(s.t.Context(), owner, "runa.falk", "correct horse battery",
				access.Holding{Role: role}); err != nil {
				s.t.Fatal(err)
			}
			_, secret, err := s.Service.Identity.MakeOwnToken(s.t.Context(), &access.Principal{Name: "runa.falk", Role: role,
				Account: "runa.falk"}, "runa's", nil)
			if err != nil {
				s.t.Fatal(err)
			}
			out[string(role)] = secret
			continue
		}
		_, secret, err := s.Service.Identity.MakeToken(s.t.Context(), owner, want)
		if err != nil {
			s.t.Fatal(err)
		}
		out[string(role)] = secret
	}
	return out
}

func (s *aService) client(token string) *apiclient.Client {
	s.t.Helper()
	c, err := apiclient.New(s.URL, token, nil)
	if err != nil {
		s.t.Fatal(err)
	}
	return c
}

func (s *aService) publish(text string) api.Published {
	s.t.Helper()
	p, err := apiclient.Post[api.Published](s.t.Context(), s.c, "/api/v1/revisions", api.Publish{Reason: "test",
		Files: []document.File{{Name: "e.yaml", Text: text}}})
	if err != nil {
		s.t.Fatal(err, fault.As(err).Details)
	}
	return p
}

func (s *aService) importDirectory(text string) {
	s.t.Helper()
	if _, err := apiclient.Post[directory.Import](s.t.Context(), s.c, "/api/v1/directory/import",
		api.Import{Files: []document.File{{Name: "d.yaml", Text: text}}}); err != nil {
		s.t.Fatal(err)
	}
}

// run runs the command line against the service.
func (s *aService) run(args ...string) (code int, out, errs string) {
	return s.runWith("", args...)
}

func (s *aService) runWith(in string, args ...string) (code int, out, errs string) {
	s.t.Helper()
	var o, e bytes.Buffer
	env := map[string]string{"CIRQUE_URL": s.URL, "CIRQUE_TOKEN": s.token, "CIRQUE_CONFIG_DIR": s.data}
	local := cli.Local{Version: "test", ResetAccount: func(ctx context.Context, so cli.ServeOptions, name,
		password string) (string, error) {
		return app.ResetAccount(ctx, app.Options{Data: so.Data, Database: so.Database}, name, password)
	}, ForgetFactors: func(ctx context.Context, so cli.ServeOptions, name string) (string, error) {
		return app.ForgetFactors(ctx, app.Options{Data: so.Data, Database: so.Database}, name)
	}, SecretKeys: func(ctx context.Context, so cli.ServeOptions, what cli.SecretKeyChange) (out cli.SecretKeys,
		err error) {
		list, lost, err := app.SecretKeys(ctx, app.Options{Data: so.Data, Database: so.Database}, what.Do, what.ID, what.Force)
		out.Lost = lost
		for _, k := range list {
			out.Keys = append(out.Keys, cli.SecretKey{ID: k.ID(), State: string(k.State), Seals: k.Seals})
		}
		return out, err
	}, Authority: func(ctx context.Context, so cli.ServeOptions, do string, force bool) (out []cli.Authority,
		err error) {
		list, err := app.Authority(ctx, app.Options{Data: so.Data, Database: so.Database}, do, force)
		for _, a := range list {
			out = append(out, cli.Authority{Fingerprint: a.Fingerprint, State: a.State, Machines: a.Machines, Some: a.Some})
		}
		return out, err
	}, MakeToken: func(ctx context.Context, so cli.ServeOptions, want access.Token) (string, error) {
		return app.MakeToken(ctx, app.Options{Data: so.Data, Database: so.Database}, want)
	}, Examine: func(ctx context.Context, so cli.ServeOptions) []endpoint.Check {
		return app.Examine(ctx, app.Options{Data: so.Data, Database: so.Database, Listen: so.Listen})
	}, Backups: cli.Backups{Check: app.CheckBackup,
		Make: func(ctx context.Context, so cli.ServeOptions, b backup.Call, to io.Writer) (backup.Result, error) {
			return app.Backup(ctx, app.Options{Data: so.Data, Database: so.Database, TLSCert: so.TLSCert, TLSKey: so.TLSKey}, b, to)
		},
		Restore: func(ctx context.Context, so cli.ServeOptions, b backup.Call, from io.Reader) (backup.Result, error) {
			return app.Restore(ctx, app.Options{Data: so.Data, Database: so.Database, Throwaway: true}, b, from)
		}}}
	code = cli.Execute(s.t.Context(), local, args, cmdline.Streams{In: strings.NewReader(in), Out: &o, Err: &e},
		func(k string) string { return env[k] })
	return code, o.String(), e.String()
}

// within waits for something that is announced nowhere, and fails after a generous while.
func within(t testing.TB, what string, f func() bool) {
	t.Helper()
	deadline := time.After(time.Minute) // generous: machines are shared
	tick := time.NewTicker(10 * time.Millisecond)
	defer tick.Stop()
	for !f() {
		select {
		case <-tick.C:
		case <-deadline:
			t.Fatal("waited in vain: " + what)
		}
	}
}

const oneQueue = `
estate: 1
locations: [{path: ard/hall}, {path: ard/yard}]
subnets: [{cidr: 10.1.0.0/16, location: ard/hall}]
devices: [{name: p, uri: "ipp://192.0.2.1/ipp/print"}]
queues: [{name: hall, title: Hall, location: ard/hall, devices: [p], paths: [{device: p}]}]
grants: [{name: g, effect: place, queues: [hall], to: ["group:clerks"], default: 5}]
`

const twoPeople = `
directory: 1
users: [{name: mira}, {name: jonas}]
groups: [{name: clerks, members: ["user:mira"]}]
`

func ask(t testing.TB, c *apiclient.Client, query string) (lineup.Lineup, http.Header) {
	t.Helper()
	resp, err := c.Raw(t.Context(), "POST", "/api/v1/lineups", nil, nil, json.RawMessage(query))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	var l lineup.Lineup
	if err := json.NewDecoder(resp.Body).Decode(&l); err != nil {
		t.Fatal(err)
	}
	return l, resp.Header
}

func TestPublishAndAsk(t *testing.T) {
	t.Parallel()
	s := startService(t)
	if l, _ := ask(t, s.c, `{"user":"mira"}`); l.Revision != 0 || len(l.Entries) != 0 {
		t.Errorf("before anything: %+v", l)
	}
	s.importDirectory(twoPeople)
	if p := s.publish(oneQueue); p.Revision.Number != 1 || p.Unchanged || p.Revision.Author != "test" {
		t.Errorf("%+v", p)
	}
	if p := s.publish(oneQueue); p.Revision.Number != 1 || !p.Unchanged {
		t.Errorf("the same again: %+v", p)
	}
	l, h := ask(t, s.c, `{"user":"MIRA","host":null,"addresses":null,"time":"2026-11-23T10:00:00+01:00"}`)
	if l.Revision != 1 || len(l.Entries) != 1 || !l.Entries[0].Default ||
		l.Context.Time.Format(time.RFC3339) != "2026-11-23T10:00:00+01:00" {
		t.Errorf("%+v", l)
	}
	if !strings.HasPrefix(h.Get("ETag"), `W/"`) {
		t.Errorf("ETag %q", h.Get("ETag"))
	}
	batch, err := apiclient.Post[[]lineup.Lineup](t.Context(), s.c, "/api/v1/lineups/batch",
		json.RawMessage(`[{"user":"mira"},{"user":"jonas"},{"addresses":["10.1.2.3"]}]`))
	if err != nil || len(batch) != 3 || len(batch[0].Entries) != 1 || len(batch[1].Entries) != 0 ||
		*batch[2].Context.Location != "ard/hall" {
		t.Errorf("%+v %v", batch, err)
	}
	_, err = apiclient.Post[[]lineup.Lineup](t.Context(), s.c, "/api/v1/lineups/batch",
		json.RawMessage(`[{"user":"mira"},{"user":"jonas","session":"x"}]`))
	if f := fault.As(err); f.Code != "context-invalid" || f.Details[0].Place != "[1]" {
		t.Errorf("one bad of two: %+v", f)
	}
	// Every former revision stays.
	s.publish(strings.Replace(oneQueue, "Hall,", "Great hall,", 1))
	e, err := apiclient.Get[api.Estate](t.Context(), s.c, "/api/v1/revisions/1", nil)
	if err != nil || e.Document.Queues[0].Title != "Hall" {
		t.Errorf("%+v %v", e, err)
	}
	// Lineups and reasons can be asked by a former revision.
	for args, want := range map[string]string{"lineup --user mira": "Great hall",
		"lineup --user mira --revision 1": "Hall ", "why hall --user mira --revision 1": "Revision 1.",
		"lineup --user mira --revision 7": "no such revision"} {
		code, out, errs := s.run(strings.Fields(args)...)
		if !strings.Contains(out+errs, want) || (code == 0) == strings.Contains(args, "7") || strings.Contains(args,
			"revision 1") && strings.Contains(out, "Great") {
			t.Errorf("%s: %d\n%s%s", args, code, out, errs)
		}
	}
	list, err := apiclient.List[estate.Revision](t.Context(), s.c, "/api/v1/revisions", nil)
	if err != nil || len(list) != 2 || list[0].Number != 2 {
		t.Errorf("%+v %v", list, err)
	}
}

func TestBadEstateStoresNothing(t *testing.T) {
	t.Parallel()
	s := startService(t)
	for _, text := range []string{"estate: 1\nqueus: [{name: q}]", "estate: 1\nqueues: []", "estate: 1\nqueues: [{name: " +
		"q, devices: [x]}]"} {
		_, err := apiclient.Post[api.Published](t.Context(), s.c, "/api/v1/revisions", api.Publish{Reason: "r",
			Files: []document.File{{Name: "e.yaml", Text: text}}})
		if f := fault.As(err); f.Code != "estate-invalid" || len(f.Details) == 0 || f.Details[0].Place != "e.yaml:2" {
			t.Errorf("%q: %+v", text, f)
		}
	}
	if _, err := apiclient.Post[api.Published](t.Context(), s.c, "/api/v1/revisions", api.Publish{Reason: " ",
		Files: []document.File{{Name: "e", Text: oneQueue}}}); fault.As(err).Code != "reason-missing" {
		t.Error(err)
	}
	if list, err := apiclient.List[estate.Revision](t.Context(), s.c, "/api/v1/revisions", nil); err != nil ||
		len(list) != 0 {
		t.Errorf("%+v %v", list, err)
	}
}

// poll asks as an agent does, and gives the status and tag.
func poll(t *testing.T, c *apiclient.Client, tag, wait string) (int, string, time.Duration) {
	t.Helper()
	h := http.Header{}
	if tag != "" {
		h.Set("If-None-Match", tag)
		h.Set("Prefer", wait)
	}
	begin := time.Now()
	resp, err := c.Raw(t.Context(), "POST", "/api/v1/lineups/batch", nil, h, json.RawMessage(`[{"user":"mira"}]`))
	if err != nil {
		t.Error(err)
		return 0, "", 0
	}
	defer func() { _ = resp.Body.Close() }()
	body, _ := io.ReadAll(resp.Body)
	if resp.StatusCode == http.StatusNotModified && len(body) > 0 {
		t.Errorf("304 with a body: %s", body)
	}
	return resp.StatusCode, resp.Header.Get("ETag"), time.Since(begin)
}

// TestLongPoll: what does not concern a lineup wakes nobody; what does is there at once.
func TestLongPoll(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(oneQueue)
	status, tag, _ := poll(t, s.c, "", "")
	if status != http.StatusOK || tag == "" {
		t.Fatal(status, tag)
	}
	if status, _, took := poll(t, s.c, tag, "wait=1"); status != http.StatusNotModified || took < time.Second {
		t.Errorf("nothing changed: %d after %v", status, took)
	}
	type answer struct {
		status int
		tag    string
	}
	done := make(chan answer, 1)
	go func() {
		status, tag, _ := poll(t, s.c, tag, `respond-async, wait=60`)
		done <- answer{status, tag}
	}()
	s.publish(strings.Replace(oneQueue, "title: Hall", "note: hers", 1) + "# another\n") // changes the title: she is woken
	got := <-done
	if got.status != http.StatusOK || got.tag == tag {
		t.Errorf("after a change that concerns her: %+v", got)
	}
	go func() {
		status, tag, _ := poll(t, s.c, got.tag, `wait=60`)
		done <- answer{status, tag}
	}()
	s.publish(oneQueue[:strings.Index(oneQueue, "queues:")] + "queues: [{name: hall, note: hers, location: ard/hall, " +
		"devices: [p], paths: [{device: p}]}, {name: other, devices: [p], paths: [{device: p}]}]\n" +
		oneQueue[strings.Index(oneQueue, "grants:"):])
	select {
	case a := <-done:
		t.Errorf("a change that does not concern her woke her: %+v", a)
	default:
	}
	s.importDirectory(strings.Replace(twoPeople, "user:mira", "user:jonas", 1))
	if a := <-done; a.status != http.StatusOK {
		t.Errorf("after she left the group: %+v", a)
	}
}

// TestTwoProcesses: what one publishes, the other answers by.
func TestTwoProcesses(t *testing.T) {
	t.Parallel()
	url := testkit.Database(t)
	a := startService(t, func(o *app.Options) { o.Database = url })
	b, err := app.Start(t.Context(), app.Options{Data: withKeys(t, t.TempDir()), AllowOutgoing: loopback,
		Database: url, Listen: "127.0.0.1:0", PlainHTTP: true,
		Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := b.Stop(); err != nil {
			t.Error(err)
		}
	}()
	other, err := apiclient.New(b.URL, a.token, nil)
	if err != nil {
		t.Fatal(err)
	}
	a.importDirectory(twoPeople)
	a.publish(oneQueue)
	within(t, "the other process knows the revision", func() bool {
		l, _ := ask(t, other, `{"user":"mira"}`)
		return l.Revision == 1 && len(l.Entries) == 1
	})
}

func TestProblems(t *testing.T) {
	t.Parallel()
	s := startService(t)
	for name, c := range map[string]struct {
		method, path, token, body string
		status                    int
		code                      string
	}{
		"no route":    {"GET", "/api/v1/nothing", s.token, "", 404, "route-unknown"},
		"method":      {"PUT", "/api/v1/estate", s.token, "", 405, "method-not-allowed"},
		"nobody":      {"GET", "/api/v1/estate", "", "", 401, "sign-in-needed"},
		"bad token":   {"GET", "/api/v1/estate", "cirque_nope", "", 401, "token-unknown"},
		"broken json": {"POST", "/api/v1/lineups", s.token, "{", 400, "body-unreadable"},
		"unknown key": {"POST", "/api/v1/lineups", s.token, `{"usr":"m"}`, 422, "request-invalid"},
		"wrong type":  {"POST", "/api/v1/lineups", s.token, `{"user":5}`, 422, "request-invalid"},
		"too large": {"POST", "/api/v1/lineups", s.token, `{"user":"` + strings.Repeat("x", 70<<10) + `"}`, 413,
			"body-too-large"},
		"no revision":    {"GET", "/api/v1/revisions/7", s.token, "", 404, "revision-unknown"},
		"no queue":       {"GET", "/api/v1/queues/x", s.token, "", 404, "queue-unknown"},
		"empty context":  {"POST", "/api/v1/lineups", s.token, `{}`, 422, "context-invalid"},
		"short password": {"POST", "/api/v1/session", "", `{"name":"x","password":""}`, 422, "request-invalid"},
	} {
		req, err := http.NewRequestWithContext(t.Context(), c.method, s.URL+c.path, strings.NewReader(c.body))
		if err != nil {
			t.Fatal(err)
		}
		if c.token != "" {
			req.Header.Set("Authorization", "Bearer "+c.token)
		}
		if c.body != "" {
			req.Header.Set("Content-Type", "application/json")
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		var p api.Problem
		err = json.NewDecoder(resp.Body).Decode(&p)
		_ = resp.Body.Close()
		if err != nil || resp.StatusCode != c.status || p.Code != c.code || p.Detail == "" || p.Status != c.status ||
			resp.Header.Get("Content-Type") != "application/problem+json" || resp.Header.Get("X-Request-Id") == "" {
			t.Errorf("%s: %d %+v (%v), want %d %s", name, resp.StatusCode, p, err, c.status, c.code)
		}
	}
}

func TestOwnAuthorityAndTLS(t *testing.T) {
	t.Parallel()
	s := startService(t, func(o *app.Options) { o.PlainHTTP = false })
	if !strings.HasPrefix(s.URL, "https://") {
		t.Fatal(s.URL)
	}
	if _, err := apiclient.Get[api.Me](t.Context(), s.client(""), "/api/v1/session",
		nil); fault.As(err).Code != "service-certificate" {
		t.Errorf("an unknown authority: %v", err)
	}
	pem, err := os.ReadFile(s.CAFile)
	if err != nil {
		t.Fatal(err)
	}
	c, err := apiclient.New(s.URL, s.token, pem)
	if err != nil {
		t.Fatal(err)
	}
	if me, err := apiclient.Get[api.Me](t.Context(), c, "/api/v1/session", nil); err != nil || !me.SignedIn {
		t.Errorf("%+v %v", me, err)
	}
	if info, err := os.Stat(filepath.Join(s.data, "ca", "ca-key.pem")); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the authority's key: %v %v", info, err)
	}
	code, out, errs := s.run("sign-in", s.URL, "--ca", s.CAFile)
	if code != 0 || !strings.Contains(out, "as test (owner)") {
		t.Errorf("%d %s %s", code, out, errs)
	}
}

func TestPlainHTTPOnLoopbackOnly(t *testing.T) {
	t.Parallel()
	_, err := app.Start(t.Context(), app.Options{Data: t.TempDir(), AllowOutgoing: loopback,
		Listen: "0.0.0.0:0", PlainHTTP: true, Throwaway: true})
	if fault.As(err).Code != "plain-http" {
		t.Error(err)
	}
}

func TestPortTaken(t *testing.T) {
	t.Parallel()
	s := startService(t)
	dir := filepath.Join(t.TempDir(), "never-made")
	_, err := app.Start(t.Context(), app.Options{Data: dir, Listen: strings.TrimPrefix(s.URL, "http://"), PlainHTTP: true,
		Throwaway: true})
	if fault.As(err).Code != "listen" {
		t.Error(err)
	}
	if _, err := os.Stat(dir); err == nil {
		t.Error("the data directory was made all the same")
	}
}

// TestWatch: the stream says what to read again.
func TestWatch(t *testing.T) {
	t.Parallel()
	s := startService(t)
	resp, err := s.c.Raw(t.Context(), "GET", "/api/v1/watch", nil, nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	s.publish(oneQueue)
	var got strings.Builder
	b := make([]byte, 512)
	// "lost" says it too: the service may just have begun to listen.
	for !strings.Contains(got.String(), `"what":"estate"`) && !strings.Contains(got.String(), `"what":"lost"`) {
		n, err := resp.Body.Read(b)
		if err != nil {
			t.Fatal(err, got.String())
		}
		got.Write(b[:n])
	}
	if !strings.Contains(got.String(), "event: notice\ndata: {") {
		t.Error(got.String())
	}
}
