package test

import (
	"bytes"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/api"
	"cirque/internal/app"
	"cirque/internal/cmdline"
)

// TestEveryRouteEveryRole walks each route of the API's description as nobody and in each role. A
// route that is not in the table fails the test: whoever adds one says here who may use it.
func TestEveryRouteEveryRole(t *testing.T) {
	t.Parallel()
	// Whoever may; nobody is who has not signed in.
	const (
		owners    = "owner"
		admins    = "owner administrator"
		editors   = admins + " site-administrator"
		helpers   = editors + " help-desk"
		readers   = helpers + " auditor"
		seers     = admins + " auditor"
		people    = readers + " person"
		agents    = "agent"
		capturers = admins + " agent"
		signed    = people + " agent"
		all       = signed + " nobody"
	)
	who := map[string]string{
		"GET /healthz": all, "GET /readyz": all, "GET /api/v1/session": all, "POST /api/v1/session": all,
		"DELETE /api/v1/session": all, "POST /api/v1/set-up": all, "POST /api/v1/session/second": all,
		"POST /api/v1/session/proof": people, "POST /api/v1/session/proof/begin": people,
		"GET /api/v1/session/factors": people, "POST /api/v1/session/factors": people,
		"POST /api/v1/session/factors/begin": people, "DELETE /api/v1/session/factors/{id}": people,
		"POST /api/v1/session/recovery-codes": people, "DELETE /api/v1/accounts/{name}/factors": owners,
		"POST /api/v1/emergency-account": owners,
		"POST /api/v1/lineups":           signed, "POST /api/v1/lineups/batch": signed, "POST /api/v1/why": signed,
		"GET /api/v1/context": signed, "GET /api/v1/addresses": readers, "GET /api/v1/addresses/{address}": readers,
		"POST /api/v1/endpoints/report": agents,
		"POST /api/v1/stock/captures":   capturers,
		"GET /api/v1/tokens":            people, "POST /api/v1/session/tokens": people,
		"PUT /api/v1/session/password": people,
		"GET /api/v1/views":            people, "PUT /api/v1/views/{page}/{name}": people,
		"DELETE /api/v1/views/{page}/{name}": people,
		"GET /api/v1/estate":                 readers, "POST /api/v1/estate/check": readers,
		"GET /api/v1/revisions":          readers,
		"GET /api/v1/revisions/{number}": readers, "GET /api/v1/queues": readers, "GET /api/v1/queues/{name}": readers,
		"GET /api/v1/locations": readers, "GET /api/v1/subnets": readers, "GET /api/v1/stations": readers,
		"GET /api/v1/drivers": readers, "GET /api/v1/requests": people, "POST /api/v1/requests": people,
		"POST /api/v1/requests/{id}/answer": editors, "DELETE /api/v1/requests/{id}": people,
		"GET /api/v1/people/{name}/data": admins, "GET /api/v1/people/{name}/history": readers,
		"DELETE /api/v1/people/{name}/data": owners, "GET /api/v1/directory/listings": readers,
		"POST /api/v1/enrolments": all, "POST /api/v1/enrolments/renew": agents, "POST /api/v1/endpoints/who": agents,
		"POST /api/v1/endpoints/said-who": agents, "GET /api/v1/enrolments": readers,
		"DELETE /api/v1/enrolments/{machine}": editors,
		"POST /api/v1/pairings":               all, "POST /api/v1/pairings/show": all, "POST /api/v1/pairings/claim": all,
		"GET /api/v1/pairings/{code}": editors, "POST /api/v1/pairings/{code}": editors,
		"GET /api/v1/agent-packages": readers, "POST /api/v1/agent-packages": admins,
		"DELETE /api/v1/agent-packages/{digest}": admins, "GET /api/v1/agent-update": readers,
		"POST /api/v1/agent-update": admins, "POST /api/v1/agent-update/act": admins,
		"GET /api/v1/agent-update/machines": readers, "POST /api/v1/endpoints/update": agents,
		"POST /api/v1/endpoints/update/said":                   agents,
		"GET /api/v1/endpoints/update/parts/{digest}/{number}": editors + " agent",
		"GET /api/v1/enrolment-tokens":                         readers, "POST /api/v1/enrolment-tokens": editors,
		"DELETE /api/v1/enrolment-tokens/{name}": editors, "GET /api/v1/directory/links": readers,
		"GET /api/v1/directory/unmatched": readers, "POST /api/v1/directory/links": admins,
		"PUT /api/v1/directory/primary": admins, "DELETE /api/v1/directory/links/{id}": admins,
		"PUT /api/v1/directory/link-rules/{rule}": admins,
		"GET /api/v1/jobs":                        signed, "GET /api/v1/jobs/{id}": signed,
		"POST /api/v1/jobs/{id}/cancel": signed, "POST /api/v1/jobs/{id}/hold": signed,
		"POST /api/v1/jobs/{id}/release": signed, "POST /api/v1/jobs/{id}/decide": signed,
		"GET /api/v1/servers": readers, "GET /api/v1/devices": readers, "GET /api/v1/grants": readers,
		"GET /api/v1/search": readers, "GET /api/v1/endpoints": readers, "GET /api/v1/endpoints/{machine}": readers,
		"GET /api/v1/endpoints/{machine}/identities": readers,
		"GET /api/v1/events":                         readers, "GET /api/v1/overview": readers,
		"GET /api/v1/checklist":               readers,
		"GET /api/v1/queues/{name}/checklist": readers, "GET /api/v1/watch": readers,
		"GET /api/v1/people/{name}": readers, "GET /api/v1/machines/{name}": readers, "GET /api/v1/server_sets": readers,
		"GET /api/v1/estate/past": readers,
		"GET /api/v1/drafts":      readers, "POST /api/v1/draft/propose": editors,
		"POST /api/v1/draft/publish-at": editors, "DELETE /api/v1/drafts/{id}/publish-at": admins,
		"GET /api/v1/directory/printers": readers, "DELETE /api/v1/directory/printers": admins,
		"GET /api/v1/guides": people, "GET /api/v1/guides/{name}": people,
		"GET /api/v1/drafts/{id}/comments": readers, "POST /api/v1/drafts/{id}/comments": editors,
		"GET /api/v1/revisions/{number}/comments": readers,
		"GET /api/v1/proposals":                   readers, "POST /api/v1/proposals/{id}/take": admins,
		"GET /api/v1/notes": readers, "GET /api/v1/notes/{kind}/{name}": readers,
		"PUT /api/v1/notes/{kind}/{name}": helpers, "GET /api/v1/drafts/{id}": readers, "POST /api/v1/drafts/{id}/take": admins, "GET /api/v1/draft/objects": readers,
		"GET /api/v1/draft/table": readers, "GET /api/v1/estate/keys": readers,
		"GET /api/v1/estate/schema": readers, "PUT /api/v1/draft/table": editors,
		"POST /api/v1/revisions/{number}/undo": editors,
		"POST /api/v1/proposals/{id}/decline":  admins, "GET /api/v1/grants/{name}/reach": readers, "GET /api/v1/overlaps": readers,
		"GET /api/v1/findings": readers, "GET /api/v1/promises": readers,
		"GET /api/v1/diff": readers, "POST /api/v1/rehearsals": readers, "GET /api/v1/rehearsals/{id}/effects": readers,
		"GET /api/v1/coverage": readers, "GET /api/v1/bare": readers, "GET /api/v1/queues/{name}/holders": readers,
		"GET /api/v1/duties": readers, "GET /api/v1/moves": readers, "GET /api/v1/health": readers,
		"GET /api/v1/health/{kind}/{name}": readers, "GET /api/v1/fleet": readers, "GET /api/v1/stock/sets": readers,
		"GET /api/v1/stock/sets/{name}": readers,
		"GET /api/v1/faults":            readers, "GET /api/v1/notices": readers, "GET /api/v1/notices/sent": readers, "GET /api/v1/notices/keys": readers,
		"POST /api/v1/notices/{name}/try": editors, "GET /api/v1/stock/servers/{name}/jobs": readers,
		"GET /api/v1/proof": readers, "GET /api/v1/fleet/unreached": readers, "GET /api/v1/fleet/paths": readers,
		"GET /api/v1/queues/{name}/alternatives": readers, "GET /api/v1/drivers/print-results": readers,
		"GET /api/v1/drivers/endpoints": readers, "POST /api/v1/checkups/{id}/print-result": helpers,
		"GET /api/v1/servers/{name}/outage": readers, "GET /api/v1/failover-tests": readers,
		"GET /api/v1/failover-tests/{id}":            readers,
		"POST /api/v1/servers/{name}/failover-tests": editors, "POST /api/v1/failover-tests/{id}/stop": editors,
		"GET /api/v1/snapshots": readers, "POST /api/v1/snapshots": helpers, "DELETE /api/v1/snapshots/{name}": helpers,
		"GET /api/v1/snapshots/{name}/compare":      readers,
		"POST /api/v1/endpoints/{machine}/checkups": helpers, "GET /api/v1/checkups/{id}": readers,
		"POST /api/v1/endpoints/checkup": agents, "POST /api/v1/endpoints/driver": agents,
		"POST /api/v1/endpoints/places": agents, "GET /api/v1/endpoints/driver/{digest}/file": agents,
		"GET /api/v1/stock/servers": readers, "GET /api/v1/stock/servers/{name}": readers,
		"GET /api/v1/stock/servers/{name}/depends": readers, "GET /api/v1/stock/servers/{name}/compare": readers,
		"GET /api/v1/stock/queues": readers, "GET /api/v1/stock/devices": readers,
		"GET /api/v1/stock/devices/{name}": readers, "GET /api/v1/stock/found": readers, "GET /api/v1/stock/scans": readers,
		"GET /api/v1/stock/reservations": readers, "GET /api/v1/stock/orphans": readers,
		"GET /api/v1/stock/captures": readers, "GET /api/v1/credentials": readers, "GET /api/v1/drivers/packages": readers,
		"GET /api/v1/kept-servers": readers, "GET /api/v1/kept-servers/{name}": readers,
		"GET /api/v1/kept-servers/{name}/why": readers, "POST /api/v1/kept-servers/{name}/takes": editors,
		"DELETE /api/v1/kept-servers/{name}/takes/{queue}": editors, "DELETE /api/v1/keepers/{machine}": editors,
		"POST /api/v1/keepers/serving": agents, "POST /api/v1/keepers/report": agents,
		"GET /api/v1/stock/servers/{name}/uses": readers, "GET /api/v1/stock/servers/{name}/inside": readers,
		"GET /api/v1/stock/matrix": readers, "POST /api/v1/stock/servers/{name}/jobs": helpers,
		"POST /api/v1/draft/end-server": editors, "POST /api/v1/draft/complete-set": editors,
		"GET /api/v1/drivers/places": readers, "GET /api/v1/drivers/places/{name}": readers,
		"GET /api/v1/drivers/places/{name}/fetches/{id}": readers, "PUT /api/v1/drivers/places/{name}": admins,
		"DELETE /api/v1/drivers/places/{name}": admins, "POST /api/v1/drivers/places/{name}/looks": admins,
		"POST /api/v1/drivers/places/{name}/fetches": admins, "DELETE /api/v1/drivers/places/{name}/fetches/{id}": admins,
		"GET /api/v1/drivers/packages/{digest}": readers, "GET /api/v1/drivers/packages/{digest}/file": readers,
		"GET /api/v1/drivers/report": readers, "GET /api/v1/drivers/names": readers, "GET /api/v1/drivers/compare": readers,
		"GET /api/v1/directory/sources": readers, "GET /api/v1/directory/runs": readers,
		"GET /api/v1/directory/renames": readers, "GET /api/v1/people/{name}/picks": readers,
		"GET /api/v1/sessions": people, "GET /api/v1/accounts": seers, "GET /api/v1/access-rules": seers,
		"GET /api/v1/audit": seers, "GET /api/v1/audit/lines": seers, "GET /api/v1/audit/forwarding": seers,
		"POST /api/v1/test-pages": helpers, "POST /api/v1/endpoints/{machine}/refresh": helpers,
		"POST /api/v1/stock/test-pages": helpers,
		"POST /api/v1/revisions":        editors, "GET /api/v1/draft": readers, "GET /api/v1/draft/document": readers,
		"PUT /api/v1/draft": editors, "POST /api/v1/draft/edits": editors, "DELETE /api/v1/draft": editors,
		"POST /api/v1/draft/publish": editors, "GET /api/v1/draft/dependents": readers, "POST /api/v1/draft/reach": readers,
		"POST /api/v1/revisions/{number}/revert": editors, "POST /api/v1/servers/{name}/drain": editors,
		"POST /api/v1/servers/{name}/return": editors, "GET /api/v1/draft/queue-table": readers,
		"PUT /api/v1/draft/queue-table": editors, "POST /api/v1/draft/rename": editors,
		"POST /api/v1/draft/second-queue":  editors,
		"POST /api/v1/draft/rename-object": editors, "POST /api/v1/draft/move": editors,
		"POST /api/v1/directory/renames/take": editors, "PUT /api/v1/people/{name}/picks/{queue}": editors,
		"DELETE /api/v1/people/{name}/picks/{queue}": editors,
		"POST /api/v1/directory/import":              admins, "POST /api/v1/tokens": admins,
		"DELETE /api/v1/tokens/{name}": admins, "POST /api/v1/tokens/{name}/secret": people,
		"POST /api/v1/stock/servers": admins, "DELETE /api/v1/stock/servers/{name}": admins,
		"POST /api/v1/stock/servers/{name}/line-test": admins, "POST /api/v1/stock/devices/{name}/line-test": admins,
		"POST /api/v1/stock/sets/{name}/line-test": admins,
		"POST /api/v1/stock/servers/{name}/read":   admins, "POST /api/v1/stock/devices": admins,
		"DELETE /api/v1/stock/devices/{name}": admins, "POST /api/v1/stock/devices/{name}/read": admins,
		"POST /api/v1/stock/devices/{name}/recognise": admins, "POST /api/v1/stock/found/forget": admins,
		"POST /api/v1/stock/scans": admins, "DELETE /api/v1/stock/scans/{id}": admins,
		"PUT /api/v1/stock/reservations": admins,
		"POST /api/v1/stock/proposals":   admins, "POST /api/v1/stock/adoptions": admins, "POST /api/v1/credentials": admins,
		"DELETE /api/v1/credentials/{name}": admins, "POST /api/v1/drivers/packages": admins,
		"DELETE /api/v1/drivers/packages/{digest}": admins, "DELETE /api/v1/sessions/{id}": admins,
		"PUT /api/v1/directory/sources/{name}": admins, "DELETE /api/v1/directory/sources/{name}": admins,
		"PUT /api/v1/directory/sources/{name}/pause": admins, "POST /api/v1/directory/sources/{name}/runs": admins,
		"DELETE /api/v1/directory/sources/{name}/runs": admins, "POST /api/v1/directory/renames/drop": admins,
		"POST /api/v1/accounts": owners, "PUT /api/v1/accounts/{name}/role": owners, "DELETE /api/v1/accounts/{name}": owners,
		"POST /api/v1/access-rules": owners, "DELETE /api/v1/access-rules/{id}": owners,
	}
	s := startService(t)
	tokens := s.everyRole()
	seen := 0
	for path, methods := range describedPaths(t) {
		for method := range methods {
			name := strings.ToUpper(method) + " " + path
			may, ok := who[name]
			if !ok {
				t.Errorf("%s is not in the table", name)
				continue
			}
			seen++
			for role, token := range tokens {
				req, err := http.NewRequestWithContext(t.Context(), strings.ToUpper(method), s.URL+filled(path)+
					routeQueries[name], strings.NewReader(routeBodies[name]))
				if err != nil {
					t.Fatal(err)
				}
				if routeBodies[name] != "" {
					req.Header.Set("Content-Type", routeMedia(name))
				}
				if token != "" {
					req.Header.Set("Authorization", "Bearer "+token)
				}
				resp, err := http.DefaultClient.Do(req)
				if err != nil {
					t.Fatal(err)
				}
				var p api.Problem
				if resp.StatusCode >= 400 {
					_ = json.NewDecoder(resp.Body).Decode(&p) // a missing code fails below
				}
				_ = resp.Body.Close()
				refused := p.Code == "sign-in-needed" || p.Code == "not-allowed"
				if allowed := slices.Contains(strings.Fields(may), role); allowed == refused || !allowed && role == "nobody" &&
					resp.StatusCode != 401 || !allowed && role != "nobody" && resp.StatusCode != 403 {
					t.Errorf("%s as %s: %d %s", name, role, resp.StatusCode, p.Code)
				}
			}
		}
	}
	if seen != len(who) {
		t.Errorf("%d of the table's %d routes are in the description", seen, len(who))
	}
}

// TestAgentIsItsMachine: an agent asks and reports only as the one machine, as place or as session host.
func TestAgentIsItsMachine(t *testing.T) {
	t.Parallel()
	s := startService(t)
	token := s.tokenFor("agent", access.Agent, "Host-1")
	c := s.client(token)
	s.sits(token, "Host-1", `{"user":"m"}`, `{"user":"M","host":"Host-1","session":"remote","machine":"anywhere"}`)
	for body, want := range map[string]int{
		`[{"machine":"host-1"},{"user":"m","machine":"HOST-1"}]`:                 200,
		`[{"user":"m","host":"host-1","session":"remote","machine":"anywhere"}]`: 200,
		`[{"user":"m"}]`: 403, `[{"user":"other","machine":"host-1"}]`: 403,
		`[{"user":"m","host":"host-1","session":"remote","machine":"elsewhere"}]`: 403,
		`[{"user":"x","host":"host-1","session":"remote","machine":"anywhere"}]`:  403,
		`[{"host":"host-1","session":"remote","machine":"anywhere"}]`:             403,
		`[{"machine":"host-1"},{"machine":"other"}]`:                              403,
		`[{"host":"other","session":"remote","machine":"host-1"}]`:                403,
		`[{"addresses":["10.0.0.1"]}]`:                                            403,
	} {
		resp, err := c.Raw(t.Context(), "POST", "/api/v1/lineups/batch", nil, nil, json.RawMessage(body))
		got := 403
		if err == nil {
			got = resp.StatusCode
			_ = resp.Body.Close()
		}
		if got != want {
			t.Errorf("%s: %d, want %d (%v)", body, got, want, err)
		}
	}
}

// jar is a browser of sorts: it keeps the cookie that it was given.
type jar struct {
	t      testing.TB
	url    string
	cookie *http.Cookie
}

func (j *jar) do(method, path, body string, header ...string) (int, api.Problem) {
	j.t.Helper()
	req, err := http.NewRequestWithContext(j.t.Context(), method, j.url+path, strings.NewReader(body))
	if err != nil {
		j.t.Fatal(err)
	}
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	if j.cookie != nil {
		req.AddCookie(j.cookie)
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		j.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	for _, c := range resp.Cookies() {
		j.cookie = c
	}
	var p api.Problem
	_ = json.NewDecoder(resp.Body).Decode(&p) // not every answer is one
	return resp.StatusCode, p
}

func TestFirstRunAndSession(t *testing.T) {
	t.Parallel()
	s := startService(t)
	file := filepath.Join(s.data, "setup-code")
	info, err := os.Stat(file)
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Fatal(info, err)
	}
	b, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	code := string(bytes.TrimSpace(b))
	j := &jar{t: t, url: s.URL}
	setUp := func(code, password string) (int, api.Problem) {
		body, _ := json.Marshal(api.SetUp{Code: code, Name: "Mira", Password: password}) // plain strings
		return j.do("POST", "/api/v1/set-up", string(body))
	}
	if status, p := setUp("WRONG", "correct horse battery"); status != 403 || p.Code != "setup-code-wrong" {
		t.Error(status, p)
	}
	if status, p := setUp(code, "short"); status != 422 || p.Code != "password-short" {
		t.Error(status, p)
	}
	if status, p := setUp(code, "correct horse battery"); status != 200 {
		t.Fatal(status, p)
	}
	if c := j.cookie; c == nil || !c.HttpOnly || c.SameSite != http.SameSiteStrictMode || c.Path != "/" {
		t.Errorf("cookie %+v", c)
	}
	if _, err := os.Stat(file); err == nil {
		t.Error("the set-up code is still there")
	}
	if status, p := setUp(code, "correct horse battery"); status != 409 {
		t.Error("set up twice:", status, p)
	}
	if status, _ := j.do("GET", "/api/v1/estate", ""); status != 200 {
		t.Error("with the session:", status)
	}
	for _, h := range [][2]string{{"Origin", "https://evil.example"}, {"Sec-Fetch-Site", "cross-site"}} {
		if status, p := j.do("POST", "/api/v1/tokens", `{"name":"n","role":"administrator"}`, h[0], h[1]); status != 403 ||
			p.Code != "cross-origin" {
			t.Errorf("%s: %d %+v", h[0], status, p)
		}
	}
	old := *j.cookie
	if status, _ := j.do("DELETE", "/api/v1/session", ""); status != 204 {
		t.Error("signing out:", status)
	}
	j.cookie = &old
	if status, _ := j.do("GET", "/api/v1/estate", ""); status != 401 {
		t.Error("the session outlives its end:", status)
	}
	if status, _ := j.do("POST", "/api/v1/session", `{"name":"MIRA","password":"correct horse battery"}`); status != 200 {
		t.Error("signing in again:", status)
	}
}

// TestFailedSignInsAreSlowed: three are free, then one waits, even with the right password.
func TestFailedSignInsAreSlowed(t *testing.T) {
	t.Parallel()
	s := startService(t)
	b, err := os.ReadFile(filepath.Join(s.data, "setup-code"))
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Service.Identity.SetUp(t.Context(), "test", string(b), "mira", "correct horse battery"); err != nil {
		t.Fatal(err)
	}
	j := &jar{t: t, url: s.URL}
	for range 3 {
		if status, p := j.do("POST", "/api/v1/session", `{"name":"mira","password":"wrong"}`); status != 401 ||
			p.Code != "sign-in-wrong" {
			t.Fatal(status, p)
		}
	}
	status, p := j.do("POST", "/api/v1/session", `{"name":"mira","password":"correct horse battery"}`)
	if status != 429 || !strings.Contains(p.Fix, "seconds") {
		t.Error(status, p)
	}
}

// TestTokenBesideTheData: it needs no sign-in, works while the service runs and while it does not, and prints the token
// and nothing else.
func TestTokenBesideTheData(t *testing.T) {
	t.Parallel()
	dir, err := scratch()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	data := filepath.Join(dir, "data")
	start := func() *app.Running {
		r, err := app.Start(t.Context(), app.Options{Data: data, Listen: "127.0.0.1:0", PlainHTTP: true, Throwaway: true})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	r := start()
	s := &aService{Running: r, t: t, data: t.TempDir()}
	works := func(secret string) {
		t.Helper()
		within(t, "the token is known", func() bool { return r.Service.Identity.ByToken(secret) != nil })
	}
	code, out, errs := s.run("token", "create", "--data", data, "--name", "one")
	secret := strings.TrimSuffix(out, "\n")
	if code != 0 || errs != "" || strings.ContainsAny(secret, " \n") || !strings.HasPrefix(secret, "cirque_") {
		t.Fatalf("%d %q %q", code, out, errs)
	}
	works(secret)
	if _, err := app.Start(t.Context(), app.Options{Data: data, Listen: "127.0.0.1:0", PlainHTTP: true,
		Throwaway: true}); err == nil || !strings.Contains(err.Error(), "another Cirque") {
		t.Errorf("a second service on the same data: %v", err)
	}
	if err := r.Stop(); err != nil {
		t.Fatal(err)
	}
	code, out, errs = s.run("token", "create", "--data", data, "--name", "two", "--role", "agent", "--machine", "desk-1")
	if code != 0 {
		t.Fatalf("%d %q %q", code, out, errs)
	}
	if code, _, errs := s.run("token", "create", "--data", data, "--name", "two"); code != cmdline.ExitConflict ||
		!strings.Contains(errs, "already") {
		t.Errorf("the same name: %d %q", code, errs)
	}
	begin := time.Now()
	r = start()
	t.Logf("from a clean stop to ready: %v", time.Since(begin))
	defer func() {
		if err := r.Stop(); err != nil {
			t.Error(err)
		}
	}()
	works(secret)
	if p := r.Service.Identity.ByToken(strings.TrimSpace(out)); p == nil || p.Role != access.Agent ||
		p.Machine != "desk-1" {
		t.Errorf("%+v", p)
	}
}
