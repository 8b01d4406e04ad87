package test

import (
	"bytes"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"go.yaml.in/yaml/v3"

	"cirque/core/access"
	"cirque/internal/api"
	"cirque/internal/app"
	"cirque/internal/cli"
	"cirque/internal/httpapi"
)

// TestEveryRouteEveryRole walks each route of the API's description as nobody, as an agent and as an administrator. A
// route that is not in the table fails the test: whoever adds one says here who may use it.
func TestEveryRouteEveryRole(t *testing.T) {
	t.Parallel()
	const all, signed, agents, admins = "nobody agent administrator", "agent administrator", "agent", "administrator"
	who := map[string]string{
		"GET /healthz": all, "GET /readyz": all, "GET /api/v1/session": all, "POST /api/v1/session": all, "DELETE /api/v1/session": all, "POST /api/v1/set-up": all,
		"POST /api/v1/lineups": signed, "POST /api/v1/lineups/batch": signed, "POST /api/v1/why": signed, "POST /api/v1/endpoints/report": agents,
		"GET /api/v1/estate": admins, "POST /api/v1/estate/check": admins, "GET /api/v1/revisions": admins, "POST /api/v1/revisions": admins, "GET /api/v1/revisions/{number}": admins,
		"GET /api/v1/queues": admins, "GET /api/v1/queues/{name}": admins, "GET /api/v1/locations": admins, "GET /api/v1/subnets": admins, "GET /api/v1/stations": admins,
		"GET /api/v1/drivers": admins, "GET /api/v1/servers": admins, "GET /api/v1/devices": admins, "GET /api/v1/grants": admins,
		"POST /api/v1/directory/import": admins, "GET /api/v1/search": admins, "POST /api/v1/test-pages": admins, "GET /api/v1/endpoints": admins, "GET /api/v1/endpoints/{machine}": admins,
		"GET /api/v1/events": admins, "GET /api/v1/overview": admins, "GET /api/v1/tokens": admins, "POST /api/v1/tokens": admins, "DELETE /api/v1/tokens/{name}": admins, "GET /api/v1/watch": admins, "GET /api/v1/people/{name}": admins, "GET /api/v1/machines/{name}": admins, "POST /api/v1/endpoints/{machine}/refresh": admins,
		"GET /api/v1/server_sets": admins, "GET /api/v1/drafts": admins, "GET /api/v1/draft": admins, "GET /api/v1/draft/document": admins, "PUT /api/v1/draft": admins, "POST /api/v1/draft/edits": admins, "DELETE /api/v1/draft": admins, "POST /api/v1/draft/publish": admins,
		"GET /api/v1/draft/dependents": admins, "POST /api/v1/draft/reach": admins, "GET /api/v1/grants/{name}/reach": admins, "GET /api/v1/findings": admins, "POST /api/v1/revisions/{number}/revert": admins, "GET /api/v1/diff": admins,
		"POST /api/v1/rehearsals": admins, "GET /api/v1/rehearsals/{id}/effects": admins, "GET /api/v1/coverage": admins, "GET /api/v1/bare": admins, "GET /api/v1/queues/{name}/holders": admins, "GET /api/v1/duties": admins, "POST /api/v1/servers/{name}/drain": admins, "POST /api/v1/servers/{name}/return": admins,
		"GET /api/v1/people/{name}/picks": admins, "PUT /api/v1/people/{name}/picks/{queue}": admins, "DELETE /api/v1/people/{name}/picks/{queue}": admins,
	}
	bodies := map[string]string{
		"POST /api/v1/session": `{"name":"x","password":"y"}`, "POST /api/v1/set-up": `{"code":"x","name":"x","password":"y"}`, "POST /api/v1/lineups": `{"machine":"desk-1"}`,
		"POST /api/v1/lineups/batch": `[{"machine":"desk-1"}]`, "POST /api/v1/why": `{"context":{"machine":"desk-1"},"queue":"q"}`, "POST /api/v1/test-pages": `{"context":{"machine":"desk-1"},"queue":"q"}`,
		"POST /api/v1/endpoints/report": `{"machine":"desk-1","version":"","platform":"","spooler":"","revision":0,"contexts":[{"machine":"desk-1"}],"installed":[],"failures":[]}`,
		"POST /api/v1/estate/check":     `{"files":[{"name":"e","text":"estate: 1"}]}`, "POST /api/v1/revisions": `{"reason":"r","files":[{"name":"e","text":"estate: 1"}]}`,
		"POST /api/v1/directory/import": `{"files":[{"name":"d","text":"directory: 1"}]}`, "POST /api/v1/tokens": `{"name":"n","role":"administrator"}`,
		"PUT /api/v1/draft": `{"files":[{"name":"e","text":"estate: 1"}]}`, "POST /api/v1/draft/edits": `{"edits":[{"list":"queues","name":"q","object":{"name":"q"}}]}`, "POST /api/v1/draft/publish": `{"reason":"r"}`,
		"POST /api/v1/draft/reach": `{"list":"grants","name":"g","object":{"name":"g","effect":"place","queues":["q"]}}`, "POST /api/v1/revisions/{number}/revert": `{"reason":"r"}`,
		"POST /api/v1/rehearsals": `{}`, "POST /api/v1/servers/{name}/drain": `{"reason":"r"}`,
	}
	s := startService(t)
	tokens := map[string]string{"nobody": "", "agent": s.tokenFor("agent", access.Agent, "desk-1"), "administrator": s.token}
	text, err := httpapi.OpenAPI("1")
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Paths map[string]map[string]any `yaml:"paths"`
	}
	if err := yaml.Unmarshal(text, &doc); err != nil {
		t.Fatal(err)
	}
	seen := 0
	for path, methods := range doc.Paths {
		for method := range methods {
			name := strings.ToUpper(method) + " " + path
			may, ok := who[name]
			if !ok {
				t.Errorf("%s is not in the table", name)
				continue
			}
			seen++
			for role, token := range tokens {
				url := s.URL + strings.NewReplacer("{number}", "1", "{name}", "none", "{machine}", "none", "{id}", "none", "{queue}", "none").Replace(path)
				req, err := http.NewRequestWithContext(t.Context(), strings.ToUpper(method), url, strings.NewReader(bodies[name]))
				if err != nil {
					t.Fatal(err)
				}
				if bodies[name] != "" {
					req.Header.Set("Content-Type", "application/json")
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
				if allowed := strings.Contains(may, role); allowed == refused || !allowed && role == "nobody" && resp.StatusCode != 401 || !allowed && role != "nobody" && resp.StatusCode != 403 {
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
	c := s.client(s.tokenFor("agent", access.Agent, "Host-1"))
	for body, want := range map[string]int{
		`[{"machine":"host-1"},{"user":"m","machine":"HOST-1"}]`:                 200,
		`[{"user":"m","host":"host-1","session":"remote","machine":"anywhere"}]`: 200,
		`[{"user":"m"}]`: 403,
		`[{"machine":"host-1"},{"machine":"other"}]`:               403,
		`[{"host":"other","session":"remote","machine":"host-1"}]`: 403,
		`[{"addresses":["10.0.0.1"]}]`:                             403,
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
	t      *testing.T
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
		if status, p := j.do("POST", "/api/v1/tokens", `{"name":"n","role":"administrator"}`, h[0], h[1]); status != 403 || p.Code != "cross-origin" {
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
	if _, _, err := s.Service.SetUp(t.Context(), "test", string(b), "mira", "correct horse battery"); err != nil {
		t.Fatal(err)
	}
	j := &jar{t: t, url: s.URL}
	for range 3 {
		if status, p := j.do("POST", "/api/v1/session", `{"name":"mira","password":"wrong"}`); status != 401 || p.Code != "sign-in-wrong" {
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
		within(t, "the token is known", func() bool { return r.Service.ByToken(secret) != nil })
	}
	code, out, errs := s.run("token", "create", "--data", data, "--name", "one")
	secret := strings.TrimSuffix(out, "\n")
	if code != 0 || errs != "" || strings.ContainsAny(secret, " \n") || !strings.HasPrefix(secret, "cirque_") {
		t.Fatalf("%d %q %q", code, out, errs)
	}
	works(secret)
	if _, err := app.Start(t.Context(), app.Options{Data: data, Listen: "127.0.0.1:0", PlainHTTP: true}); err == nil || !strings.Contains(err.Error(), "another Cirque") {
		t.Errorf("a second service on the same data: %v", err)
	}
	if err := r.Stop(); err != nil {
		t.Fatal(err)
	}
	code, out, errs = s.run("token", "create", "--data", data, "--name", "two", "--role", "agent", "--machine", "desk-1")
	if code != 0 {
		t.Fatalf("%d %q %q", code, out, errs)
	}
	if code, _, errs := s.run("token", "create", "--data", data, "--name", "two"); code != cli.ExitConflict || !strings.Contains(errs, "already") {
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
	if p := r.Service.ByToken(strings.TrimSpace(out)); p == nil || p.Role != access.Agent || p.Machine != "desk-1" {
		t.Errorf("%+v", p)
	}
}
