package test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/apiclient"
	"cirque/internal/app"
)

// aConsole is somebody at a console, with the cookie of their session.
type aConsole struct {
	s      *aService
	cookie string
}

func (s *aService) console(name string) *aConsole {
	s.t.Helper()
	secret, _, _, err := s.Service.Identity.SignIn(s.t.Context(), "192.0.2.9", name, "correct horse battery")
	if err != nil {
		s.t.Fatal(err)
	}
	return &aConsole{s, secret}
}

// ask sends a request as the console does, untouched for so many seconds; the caller closes the body.
func (c *aConsole) ask(method, path string, idle int) *http.Response {
	c.s.t.Helper()
	req, err := http.NewRequestWithContext(c.s.t.Context(), method, c.s.URL+path, nil)
	if err != nil {
		c.s.t.Fatal(err)
	}
	req.AddCookie(&http.Cookie{Name: "cirque_session", Value: c.cookie})
	req.Header.Set("Cirque-Idle", fmt.Sprint(idle))
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		c.s.t.Fatal(err)
	}
	return resp
}

func (c *aConsole) in(idle int) bool {
	c.s.t.Helper()
	resp := c.ask("GET", "/api/v1/session", idle)
	defer func() { _ = resp.Body.Close() }()
	var me api.Me
	if err := json.NewDecoder(resp.Body).Decode(&me); err != nil {
		c.s.t.Fatal(err)
	}
	return me.SignedIn
}

func (s *aService) addAccount(name string, role access.Role) {
	s.t.Helper()
	if _, err := s.Service.Identity.AddAccount(s.t.Context(), owner, name, "correct horse battery", access.Holding{
		Role: role}); err != nil {
		s.t.Fatal(err)
	}
}

// TestIdleSession: a console that nobody touches is signed out after an hour, though it asks all the time by itself;
// one that is used stays, and the estate may set another time.
func TestIdleSession(t *testing.T) {
	t.Parallel()
	ahead := new(atomic.Int64)
	s := startService(t, func(o *app.Options) {
		o.Now = func() time.Time { return time.Now().Add(time.Duration(ahead.Load())) }
	})
	s.addAccount("mira", access.Owner)
	left, used := s.console("mira"), s.console("mira")
	for minute := 0; minute < 59; minute += 15 {
		ahead.Store(int64(time.Duration(minute) * time.Minute))
		if !left.in(minute*60) || !used.in(0) {
			t.Errorf("after %d minutes somebody is out", minute)
		}
	}
	ahead.Store(int64(62 * time.Minute))
	if left.in(62 * 60) {
		t.Error("a console that nobody has touched for an hour is signed in")
	}
	if !used.in(0) {
		t.Error("one that is used is signed out")
	}
	contains(t, "the events", s.events(), "A session of mira ended: nobody had used it for 60 minutes")
	s.publish(strings.Replace(oneQueue, "estate: 1", "estate: 1\nsettings: {sign_in: {idle: 5m}}", 1))
	ahead.Store(int64(70 * time.Minute))
	if used.in(8 * 60) {
		t.Error("the estate's time does not hold")
	}
}

// TestOwnSessions: everybody sees and ends their own sessions, and nobody else's who may not.
func TestOwnSessions(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.addAccount("mira", access.Person)
	s.addAccount("ida", access.Person)
	here, there, other := s.console("mira"), s.console("mira"), s.console("ida")
	resp := here.ask("GET", "/api/v1/sessions", 0)
	defer func() { _ = resp.Body.Close() }()
	var list struct{ Items []access.Session }
	if err := json.NewDecoder(resp.Body).Decode(&list); err != nil || len(list.Items) != 2 || !list.Items[0].Own ||
		list.Items[0].Account != "mira" || list.Items[0].UsedAt.IsZero() {
		t.Fatalf("%+v %v", list, err)
	}
	all, err := apiclient.List[access.Session](t.Context(), s.c, "/api/v1/sessions", nil)
	if err != nil || len(all) != 3 {
		t.Fatal(all, err)
	}
	for _, v := range all {
		if v.Account != "ida" {
			continue
		}
		resp := here.ask("DELETE", fmt.Sprint("/api/v1/sessions/", v.ID), 0)
		_ = resp.Body.Close()
		if resp.StatusCode != http.StatusForbidden || !other.in(0) {
			t.Errorf("somebody else's: %s", resp.Status)
		}
	}
	resp = here.ask("DELETE", fmt.Sprint("/api/v1/sessions/", list.Items[0].ID), 0) // the later one
	_ = resp.Body.Close()
	if resp.StatusCode != http.StatusNoContent || there.in(0) || !here.in(0) {
		t.Errorf("one's own: %s", resp.Status)
	}
}

// TestStreamsEnd: what is held open ends at once where its session, token or account ends.
func TestStreamsEnd(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.addAccount("stays", access.Owner) // so that whoever is removed is never the last owner
	for name, end := range map[string]func(c *aConsole, token string){
		"by signing out": func(c *aConsole, _ string) {
			_ = c.ask("DELETE", "/api/v1/session", 0).Body.Close()
		},
		"by a removed account": func(_ *aConsole, token string) {
			if err := s.Service.Identity.RemoveAccount(t.Context(), owner, token); err != nil {
				t.Error(err)
			}
		},
		"by a demanded factor": func(*aConsole, string) {
			s.publish(strings.Replace(oneQueue, "estate: 1", "estate: 1\nsettings: {sign_in: {second_factor: [owner]}}", 1))
		},
	} {
		called := strings.ReplaceAll(name, " ", "-")
		s.addAccount(called, access.Owner)
		c := s.console(called)
		resp := c.ask("GET", "/api/v1/watch", 0)
		defer func() { _ = resp.Body.Close() }()
		if resp.StatusCode != http.StatusOK {
			t.Fatal(resp.Status)
		}
		ended := make(chan bool, 1)
		go func() {
			for r := bufio.NewReader(resp.Body); ; {
				if _, err := r.ReadString('\n'); err != nil {
					ended <- true
					return
				}
			}
		}()
		end(c, called)
		select {
		case <-ended:
		case <-time.After(10 * time.Second):
			t.Errorf("%s: the stream goes on", name)
		}
		s.publish(oneQueue)
	}
	token := s.tokenFor("waits", access.Auditor, "")
	c := s.client(token)
	_, tag, _ := poll(t, c, "", "")
	done := make(chan error, 1)
	go func() {
		resp, err := c.Raw(t.Context(), "POST", "/api/v1/lineups", nil, http.Header{"If-None-Match": {tag},
			"Prefer": {"wait=5"}},
			map[string]string{"user": "mira"})
		if err == nil {
			_ = resp.Body.Close()
		}
		done <- err
	}()
	within(t, "it waits", func() bool { return s.Service.Present.Agents.Polls() == 1 })
	if err := s.Service.Identity.RevokeToken(t.Context(), owner, "waits"); err != nil {
		t.Fatal(err)
	}
	if err := <-done; fault.As(err) == nil || fault.As(err).Code != "signed-out" {
		t.Errorf("a revoked token that waits is answered with %v", err)
	}
}

// TestWeakPasswords: passwords that everybody tries first, or that the account has already, are refused with the
// reason.
func TestWeakPasswords(t *testing.T) {
	t.Parallel()
	s := startService(t)
	for _, p := range []string{"password1234", "aaaaaaaaaaaa", "qwertyuiopas", "harbour-master"} {
		_, err := s.Service.Identity.AddAccount(t.Context(), owner, "harbour-master", p, access.Holding{Role: access.Auditor})
		if f := fault.As(err); f == nil || f.Code != "password-weak" || f.Fix == "" {
			t.Errorf("%q: %v", p, err)
		}
	}
	s.addAccount("mira", access.Auditor)
	p := &access.Principal{Name: "mira", Account: "mira", Role: access.Auditor}
	err := s.Service.Identity.ChangePassword(t.Context(), p, "192.0.2.9", "correct horse battery", "correct horse battery")
	if f := fault.As(err); f == nil || f.Code != "password-same" {
		t.Errorf("the same: %v", err)
	}
}

// TestGuessing: 60 guesses at once are looked at no more than three times; the account's owner comes in elsewhere
// meanwhile, and whoever sprays one password over many names waits, too.
func TestGuessing(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.addAccount("mira", access.Auditor)
	s.addAccount("ida", access.Auditor)
	guess := func(from, name, password string) string {
		_, _, _, err := s.Service.Identity.SignIn(t.Context(), from, name, password)
		if err == nil {
			return "in"
		}
		return fault.As(err).Code
	}
	codes := make(chan string, 60)
	for i := range 60 {
		go func() { codes <- guess("192.0.2.1", "mira", fmt.Sprint("guess number ", i)) }()
	}
	looked := 0
	for range 60 {
		if <-codes == "sign-in-wrong" {
			looked++
		}
	}
	if looked != 3 {
		t.Errorf("%d guesses were looked at", looked)
	}
	if got := guess("192.0.2.2", "mira", "correct horse battery"); got != "in" {
		t.Errorf("she herself elsewhere: %s", got)
	}
	sprayed := 0
	for i := range 30 {
		if guess("192.0.2.3", fmt.Sprint("person-", i), "spring tide 26") == "sign-in-wrong" {
			sprayed++
		}
		guess("192.0.2.3", "ida", "correct horse battery")
	}
	if sprayed > 18 { // ten are free, and the waits between the others grow
		t.Errorf("%d of 30 names were tried with one password", sprayed)
	}
}
