package test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"

	"cirque/core/access"
	"cirque/core/document"
	"cirque/core/fault"
	"cirque/internal/api"
	"cirque/internal/app"
)

// sends does something at a console, and gives the answer, or its problem.
func sends[O any](c *aConsole, method, path string, in any) (out O, err error) {
	c.s.t.Helper()
	body, err := json.Marshal(in)
	if err != nil {
		c.s.t.Fatal(err)
	}
	if in == nil {
		body = nil
	}
	req, err := http.NewRequestWithContext(c.s.t.Context(), method, c.s.URL+path, bytes.NewReader(body))
	if err != nil {
		c.s.t.Fatal(err)
	}
	if c.cookie != "" {
		req.AddCookie(&http.Cookie{Name: "cirque_session", Value: c.cookie})
	}
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		c.s.t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	for _, set := range resp.Cookies() {
		c.cookie = set.Value
	}
	if resp.StatusCode >= 300 {
		var p api.Problem
		if err := json.NewDecoder(resp.Body).Decode(&p); err != nil {
			c.s.t.Fatal(err)
		}
		return out, p.Fault()
	}
	if resp.StatusCode != http.StatusNoContent {
		err = json.NewDecoder(resp.Body).Decode(&out)
	}
	return out, err
}

func code(err error) string {
	if err == nil {
		return ""
	}
	return fault.As(err).Code
}

func signsIn(name string) api.SignIn {
	return api.SignIn{Name: name, Password: "correct horse battery"}
}

// authenticator shows one-time codes, each once, by the clock that it shares with the service.
type authenticator struct {
	t      *testing.T
	secret string
	ahead  *atomic.Int64
	first  string // the code by which it was set up
}

func (a *authenticator) now() string {
	a.t.Helper()
	code, err := totp.GenerateCode(a.secret, time.Now().Add(time.Duration(a.ahead.Load())))
	if err != nil {
		a.t.Fatal(err)
	}
	return code
}

// next waits, by that clock, for a code that was not shown yet.
func (a *authenticator) next() string {
	a.ahead.Add(int64(30 * time.Second))
	return a.now()
}

// setUp sets up one-time codes at a console.
func (c *aConsole) setUp(called string, ahead *atomic.Int64) (*authenticator, api.MadeFactor) {
	c.s.t.Helper()
	begun, err := sends[api.SetupFactor](c, "POST", "/api/v1/session/factors/begin", api.NewFactor{Kind: access.Code,
		Name: called})
	if err != nil {
		c.s.t.Fatal(err)
	}
	a := &authenticator{t: c.s.t.(*testing.T), secret: begun.Secret, ahead: ahead}
	a.first = a.now()
	made, err := sends[api.MadeFactor](c, "POST", "/api/v1/session/factors", api.Shown{Ticket: begun.Ticket,
		Code: a.first})
	if err != nil {
		c.s.t.Fatal(err)
	}
	return a, made
}

// startAhead is a service whose clock can be put forward.
func startAhead(t *testing.T) (*aService, *atomic.Int64) {
	ahead := new(atomic.Int64)
	return startService(t, func(o *app.Options) {
		o.Now = func() time.Time { return time.Now().Add(time.Duration(ahead.Load())) }
	}), ahead
}

// TestOneTimeCodes: whoever has set up one-time codes is not in with the password alone; each code lets in once, also
// of many at once and at another process, and guessing is slowed. A recovery code lets in once. The password alone lets
// in nowhere else either: not at the gateway, not on the command line.
func TestOneTimeCodes(t *testing.T) {
	t.Parallel()
	s, ahead := startAhead(t)
	s.addAccount("mira", access.Administrator)
	c := s.console("mira")
	phone, made := c.setUp("phone", ahead)
	if len(made.Recovery) != 10 || made.Factor.Name != "phone" {
		t.Fatal(made)
	}
	first := func() *api.Step {
		t.Helper()
		anew := &aConsole{s: s}
		me, err := sends[api.Me](anew, "POST", "/api/v1/session", signsIn("mira"))
		if err != nil || me.SignedIn || me.Second == nil || anew.cookie != "" {
			t.Fatal(me, err)
		}
		return me.Second
	}
	second := func(ticket, shown string) error {
		anew := &aConsole{s: s}
		me, err := sends[api.Me](anew, "POST", "/api/v1/session/second", api.Shown{Ticket: ticket, Code: shown})
		if err == nil && (!me.SignedIn || !anew.in(0)) {
			t.Error("nobody is signed in")
		}
		return err
	}
	step := first()
	if got := code(second(step.Ticket, phone.first)); got != "second-step-wrong" {
		t.Error("the code that showed the set-up signs in:", got)
	}
	shown := phone.next()
	var in atomic.Int64
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			if second(step.Ticket, shown) == nil {
				in.Add(1)
			}
		})
	}
	wg.Wait()
	if in.Load() != 1 {
		t.Fatalf("one code let in %d", in.Load())
	}
	ahead.Add(int64(6 * time.Minute)) // what failed is forgotten
	if got := code(second("", phone.next())); got != "request-invalid" {
		t.Error("no ticket:", got)
	}
	if got := code(second("bm8gdGlja2V0", phone.next())); got != "ticket-over" {
		t.Error("another ticket:", got)
	}
	if got := code(second(first().Ticket, made.Recovery[3])); got != "" {
		t.Error("a recovery code:", got)
	}
	if got := code(second(first().Ticket, made.Recovery[3])); got != "second-step-wrong" {
		t.Error("a recovery code twice:", got)
	}
	step = first()
	ahead.Add(int64(11 * time.Minute))
	if got := code(second(step.Ticket, phone.next())); got != "ticket-over" {
		t.Error("an old ticket:", got)
	}
	step = first()
	if err := s.Service.Identity.ChangePassword(t.Context(), &access.Principal{Name: "mira", Account: "mira",
		Role: access.Administrator}, "192.0.2.9", "correct horse battery", "another horse battery"); err != nil {
		t.Fatal(err)
	}
	if got := code(second(step.Ticket, phone.next())); got != "ticket-over" {
		t.Error("a ticket of the old password:", got)
	}
	if _, err := app.ResetAccount(t.Context(), app.Options{Data: s.data, Database: s.database}, "mira",
		"correct horse battery"); err != nil {
		t.Fatal(err)
	}
	step = first()
	slowed := ""
	for range 8 {
		slowed = code(second(step.Ticket, "000000"))
	}
	if slowed != "sign-in-slowed" {
		t.Error("guesses are not slowed:", slowed)
	}
	s.basicRefused(t, "mira")
	ahead.Add(int64(10 * time.Minute))
	out, errs := s.signInLine(t, "mira", "correct horse battery\n"+phone.next()+"\n")
	if !strings.Contains(out, "as mira (administrator)") {
		t.Error("the command line:", out, errs)
	}
	contains(t, "the events", s.events(), "mira signs in with a second factor too: phone, a code",
		"The second step of a sign-in as mira failed", "mira signed in with a recovery code; 9 are left")
}

// basicRefused asks the gateway with a name and the password.
func (s *aService) basicRefused(t *testing.T, name string) {
	t.Helper()
	if _, err := s.Service.Identity.ByBasic(t.Context(), "192.0.2.77", name, "correct horse battery"); code(err) !=
		"password-alone" {
		t.Error("the password alone prints:", err)
	}
}

func (s *aService) signInLine(t *testing.T, name, in string) (out, errs string) {
	t.Helper()
	was := s.token
	s.token = ""
	defer func() { s.token = was }()
	_, out, errs = s.runWith(in, "sign-in", s.URL, "--name", name)
	return out, errs
}

// TestDemandedFactor: where the owner demands a second factor of a role, whoever holds it can do nothing but set one
// up, on no route, and neither can their tokens; who has another role goes on. An administrator cannot take it back.
func TestDemandedFactor(t *testing.T) {
	t.Parallel()
	s, ahead := startAhead(t)
	s.addAccount("mira", access.Administrator)
	s.addAccount("olav", access.HelpDesk)
	admin, help := s.console("mira"), s.console("olav")
	made, err := sends[api.MadeToken](admin, "POST", "/api/v1/session/tokens", api.NewOwnToken{Name: "mine"})
	if err != nil {
		t.Fatal(err)
	}
	demand := strings.Replace(oneQueue, "estate: 1", "estate: 1\nsettings: {sign_in: {second_factor: [administrator]}}", 1)
	p := &access.Principal{Name: "mira", Role: access.Administrator}
	publishes := func(text string) error {
		_, _, err := s.Service.Drafts.Publish(t.Context(), p, []document.File{{Name: "e", Text: text}}, "x")
		return err
	}
	if err := publishes(demand); code(err) != "not-allowed" {
		t.Error("an administrator demands a second factor:", err)
	}
	s.publish(demand)
	within(t, "it is demanded", func() bool {
		me, err := sends[api.Me](admin, "GET", "/api/v1/session", nil)
		return err == nil && me.Owes
	})
	s.lacking(t, admin)
	if p := s.Service.Identity.ByToken(made.Secret); p == nil || p.May(access.ReadEstate) {
		t.Error("a token goes on", p)
	}
	if _, err := sends[any](help, "GET", "/api/v1/overview", nil); err != nil {
		t.Error("another role:", err)
	}
	s.basicRefused(t, "mira")
	admin.setUp("phone", ahead)
	within(t, "the factor is known", func() bool {
		_, err := sends[any](admin, "GET", "/api/v1/overview", nil)
		return err == nil
	})
	list, err := sends[api.Factors](admin, "GET", "/api/v1/session/factors", nil)
	if err != nil || len(list.Items) != 1 || list.Recovery != 10 || !list.Demanded || list.PasskeysOff == "" {
		t.Error(list, err)
	}
	last := "/api/v1/session/factors/" + fmt.Sprint(list.Items[0].ID)
	if _, err := sends[any](admin, "DELETE", last, nil); code(err) != "second-factor-demanded" {
		t.Error("the last one goes:", err)
	}
	if err := publishes(oneQueue); code(err) != "not-allowed" {
		t.Error("an administrator takes it back:", err)
	}
	// Whoever lost everything is helped by an owner, and beside the data.
	code0, out, errs := s.run("account", "forget-factors", "mira")
	if code0 != 0 || !strings.Contains(out, "mira signs in with the password alone") || admin.in(0) {
		t.Error(out, errs)
	}
	within(t, "it is missing again", func() bool { return s.console("mira").owes() })
	_, out, _ = s.run("account", "list")
	contains(t, "the accounts", out, "second factor MISSING")
	s.console("mira").setUp("phone", ahead)
	code0, out, errs = s.run("account", "forget-factors", "MIRA", "--data", s.data, "--database", s.database)
	if code0 != 0 || !strings.Contains(out, "mira signs in with the password alone") {
		t.Error(out, errs)
	}
	contains(t, "the events", s.events(), "The second factors of mira were taken away",
		"The second factors of mira were taken away, beside the data")
}

func (c *aConsole) owes() bool {
	me, err := sends[api.Me](c, "GET", "/api/v1/session", nil)
	return err == nil && me.Owes
}

// lacking asks all routes of the description: whoever lacks a demanded factor gets nothing but the way to one.
func (s *aService) lacking(t *testing.T, c *aConsole) {
	t.Helper()
	open := 0
	for path, methods := range describedPaths(t) {
		for method := range methods {
			name := strings.ToUpper(method) + " " + path
			if publicRoutes[name] || strings.HasPrefix(path, "/api/v1/session/") {
				continue
			}
			open++
			req, err := http.NewRequestWithContext(t.Context(), strings.ToUpper(method), s.URL+filled(path)+
				routeQueries[name], strings.NewReader(routeBodies[name]))
			if err != nil {
				t.Fatal(err)
			}
			req.AddCookie(&http.Cookie{Name: "cirque_session", Value: c.cookie})
			req.Header.Set("Content-Type", routeMedia(name))
			resp, err := http.DefaultClient.Do(req)
			if err != nil {
				t.Fatal(err)
			}
			var p api.Problem
			_ = json.NewDecoder(resp.Body).Decode(&p) // what is no problem fails below
			_ = resp.Body.Close()
			if p.Code != "second-factor-demanded" {
				t.Errorf("%s: %d %s", name, resp.StatusCode, p.Code)
			}
		}
	}
	if open < 150 {
		t.Errorf("only %d routes were asked", open)
	}
}

// graveRoutes are those that ask again.
var graveRoutes = []string{"POST /api/v1/tokens", "POST /api/v1/session/tokens", "POST /api/v1/tokens/{name}/secret",
	"POST /api/v1/accounts", "PUT /api/v1/accounts/{name}/role", "DELETE /api/v1/accounts/{name}",
	"DELETE /api/v1/accounts/{name}/factors", "POST /api/v1/emergency-account", "POST /api/v1/access-rules",
	"DELETE /api/v1/access-rules/{id}", "DELETE /api/v1/people/{name}/data", "POST /api/v1/session/factors/begin",
	"DELETE /api/v1/session/factors/{id}", "POST /api/v1/session/recovery-codes"}

// TestProveAgain: what matters most is asked of whoever has just shown who they are, by the password or by the second
// factor that they have; nothing else is, and a token shows it each time.
func TestProveAgain(t *testing.T) {
	t.Parallel()
	s, ahead := startAhead(t)
	s.addAccount("liv", access.Owner)
	c := s.console("liv")
	rule := api.NewAccount{Name: "olav", Password: "correct horse battery staple", Role: access.HelpDesk}
	ahead.Add(int64(16 * time.Minute))
	if _, err := sends[any](c, "POST", "/api/v1/accounts", rule); code(err) != "prove-again" {
		t.Fatal("nothing is asked:", err)
	}
	if _, err := sends[any](c, "GET", "/api/v1/accounts", nil); err != nil {
		t.Error("reading asks again:", err)
	}
	for _, name := range graveRoutes {
		method, path, _ := strings.Cut(name, " ")
		var in any
		if text := routeBodies[name]; text != "" {
			in = json.RawMessage(text)
		}
		if _, err := sends[any](c, method, filled(path), in); code(err) != "prove-again" {
			t.Errorf("%s: %v", name, err)
		}
	}
	step, err := sends[api.Step](c, "POST", "/api/v1/session/proof/begin", nil)
	if err != nil || len(step.Ways) != 1 || step.Ways[0] != "password" {
		t.Fatal(step, err)
	}
	if _, err := sends[any](c, "POST", "/api/v1/session/proof", api.Shown{Ticket: step.Ticket,
		Password: "wrong horse battery"}); code(err) != "sign-in-wrong" {
		t.Error("a wrong password:", err)
	}
	if _, err := sends[any](c, "POST", "/api/v1/accounts", rule); code(err) != "prove-again" {
		t.Fatal("a wrong proof is taken:", err)
	}
	if _, err := sends[any](c, "POST", "/api/v1/session/proof", api.Shown{Ticket: step.Ticket,
		Password: "correct horse battery"}); err != nil {
		t.Fatal(err)
	}
	within(t, "the proof is known", func() bool {
		_, err := sends[any](c, "POST", "/api/v1/accounts", rule)
		return err == nil
	})
	phone, _ := c.setUp("phone", ahead)
	ahead.Add(int64(16 * time.Minute))
	step, err = sends[api.Step](c, "POST", "/api/v1/session/proof/begin", nil)
	if err != nil || strings.Join(step.Ways, " ") != "code recovery" {
		t.Fatal(step, err)
	}
	if _, err := sends[any](c, "POST", "/api/v1/session/proof", api.Shown{Ticket: step.Ticket,
		Password: "correct horse battery"}); code(err) != "second-step-wrong" {
		t.Error("the password is taken where there is a second factor:", err)
	}
	if _, err := sends[any](c, "POST", "/api/v1/session/proof", api.Shown{Ticket: step.Ticket,
		Code: phone.next()}); err != nil {
		t.Fatal(err)
	}
	other := &aConsole{s: s}
	if _, err := sends[api.Me](other, "POST", "/api/v1/session", api.SignIn{Name: rule.Name,
		Password: rule.Password}); err != nil {
		t.Fatal(err)
	}
	step, err = sends[api.Step](c, "POST", "/api/v1/session/proof/begin", nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := sends[any](other, "POST", "/api/v1/session/proof", api.Shown{Ticket: step.Ticket,
		Code: phone.next()}); code(err) != "ticket-over" {
		t.Error("somebody else's ticket:", err)
	}
	ahead.Add(int64(16 * time.Minute))
	if code0, _, errs := s.runWith("another fine passphrase\n", "account", "add", "per", "--role", "auditor"); code0 != 0 {
		t.Error("a token is asked again:", errs)
	}
}

// TestFactorOfOthers: nobody removes what is somebody else's, nor with a token, nor sets it up with one.
func TestFactorOfOthers(t *testing.T) {
	t.Parallel()
	s, ahead := startAhead(t)
	s.addAccount("mira", access.Owner)
	s.addAccount("olav", access.Owner)
	mira, olav := s.console("mira"), s.console("olav")
	_, made := mira.setUp("phone", ahead)
	olav.setUp("phone", ahead)
	path := fmt.Sprint("/api/v1/session/factors/", made.Factor.ID)
	if _, err := sends[any](olav, "DELETE", path, nil); code(err) != "factor-unknown" {
		t.Error("somebody else removes it:", err)
	}
	own, err := sends[api.MadeToken](mira, "POST", "/api/v1/session/tokens", api.NewOwnToken{Name: "mine"})
	if err != nil {
		t.Fatal(err)
	}
	c := s.client(own.Secret)
	if err := c.Do(t.Context(), "DELETE", path, nil, nil, nil); code(err) != "console-only" {
		t.Error("a token removes it:", err)
	}
	if err := c.Do(t.Context(), "POST", "/api/v1/session/factors/begin", nil, api.NewFactor{Kind: access.Code,
		Name: "theirs"}, nil); code(err) != "console-only" {
		t.Error("a token sets one up:", err)
	}
	if _, err := sends[any](mira, "DELETE", path, nil); err != nil {
		t.Error(err)
	}
	if _, err := sends[api.Me](&aConsole{s: s}, "POST", "/api/v1/session", signsIn("mira")); err != nil {
		t.Error("the password alone lets in again:", err)
	}
}
