package test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/internal/apiclient"
	"cirque/internal/app"
	"cirque/internal/cmdline"
)

// TestAccountReset: whoever has the data in hand mends a lost password, while the service runs; the account's sessions
// end.
func TestAccountReset(t *testing.T) {
	t.Parallel()
	s := startService(t)
	reset := func(password string, args ...string) (int, string, string) {
		return s.runWith(password+"\n", append([]string{"account", "reset"}, args...)...)
	}
	beside := []string{"--data", s.data, "--database", s.database}
	if code, _, errs := reset("battery horse staple", append(beside, "mira")...); code != cmdline.ExitUnknown ||
		!strings.Contains(errs, "make the first account at the console") {
		t.Error(code, errs)
	}
	b, err := os.ReadFile(filepath.Join(s.data, "setup-code"))
	if err != nil {
		t.Fatal(err)
	}
	session, _, err := s.Service.Identity.SetUp(t.Context(), "test", string(b), "Mira", "correct horse battery")
	if err != nil || s.Service.Identity.BySession(session) == nil {
		t.Fatal(err)
	}
	token := s.tokenFor("kept", access.Administrator, "")
	for _, c := range []struct {
		password, name, says string
		code                 int
	}{
		{"short", "mira", "the password has 5 characters", cmdline.ExitInvalid},
		{"", "mira", "no password", cmdline.ExitInvalid},
		{"battery horse staple", "jonas", "the accounts are Mira", cmdline.ExitUnknown},
	} {
		if code, _, errs := reset(c.password, append(beside, c.name)...); code != c.code || !strings.Contains(errs, c.says) {
			t.Errorf("%+v: %d %s", c, code, errs)
		}
	}
	if code, _, errs := reset("battery horse staple", "mira"); code != cmdline.ExitUsage || !strings.Contains(errs, "--data") {
		t.Error(code, errs)
	}
	if s.Service.Identity.BySession(session) == nil {
		t.Error("a reset that failed ended a session")
	}
	code, out, errs := reset("battery horse staple", append(beside, "MIRA")...)
	if code != 0 || !strings.Contains(out, "Mira has a new password") {
		t.Fatal(code, out, errs)
	}
	within(t, "the old session is over", func() bool { return s.Service.Identity.BySession(session) == nil })
	if s.Service.Identity.ByToken(token) == nil {
		t.Error("a token went too")
	}
	if _, _, _, err := s.Service.Identity.SignIn(t.Context(), "test", "mira", "correct horse battery"); !fault.Is(err,
		fault.Unsigned) {
		t.Error("the old password:", err)
	}
	if _, p, _, err := s.Service.Identity.SignIn(t.Context(), "test", "mira", "battery horse staple"); err != nil ||
		p.Name != "Mira" {
		t.Error("the new password:", err)
	}
	contains(t, "the events", s.events(), "The password of Mira was set anew, beside the data")
}

// TestSessions: who is signed in at the console, and from where, is listed; a session is ended by its number.
func TestSessions(t *testing.T) {
	t.Parallel()
	s := startService(t)
	contains(t, "nobody", s.must("account", "sessions"), "Nobody is signed in")
	b, err := os.ReadFile(filepath.Join(s.data, "setup-code"))
	if err != nil {
		t.Fatal(err)
	}
	first, _, err := s.Service.Identity.SetUp(t.Context(), "192.0.2.7", string(b), "Mira", "correct horse battery")
	if err != nil {
		t.Fatal(err)
	}
	second, _, _, err := s.Service.Identity.SignIn(t.Context(), "192.0.2.8", "mira", "correct horse battery")
	if err != nil {
		t.Fatal(err)
	}
	list, err := apiclient.List[access.Session](t.Context(), s.c, "/api/v1/sessions", nil)
	if err != nil || len(list) != 2 || list[0].Remote != "192.0.2.8" || list[0].Account != "Mira" ||
		list[0].CreatedAt.IsZero() {
		t.Fatalf("%+v %v", list, err)
	}
	contains(t, "the list", s.must("account", "sessions"), "192.0.2.7", "192.0.2.8", "just now")
	contains(t, "ending one", s.must("account", "end-session", fmt.Sprint(list[1].ID)), "is over")
	if s.Service.Identity.BySession(first) != nil || s.Service.Identity.BySession(second) == nil {
		t.Error("not the one that was named was ended")
	}
	for arg, want := range map[string]int{fmt.Sprint(list[1].ID): cmdline.ExitUnknown, "x": cmdline.ExitUsage} {
		if code, _, errs := s.run("account", "end-session", arg); code != want {
			t.Error(arg, code, errs)
		}
	}
	contains(t, "the events", s.events(), "Mira signed in from 192.0.2.8", "A session of Mira was ended by test")
}

// TestTokenEnds: a token ends by itself, whether the service is told or not; its end is listed.
func TestTokenEnds(t *testing.T) {
	t.Parallel()
	var later atomic.Int64 // nanoseconds that the service's clock is ahead
	s := startService(t, func(o *app.Options) {
		o.Now = func() time.Time {
			return time.Now().Add(time.Duration(later.Load()))
		}
	})
	day := time.Now().AddDate(0, 0, 3).Format(time.DateOnly)
	secret := strings.TrimSpace(s.must("token", "create", "--name", "visitor", "--expires", day))
	c := s.client(secret)
	if _, err := apiclient.List[access.Session](t.Context(), c, "/api/v1/sessions", nil); err != nil {
		t.Fatal(err)
	}
	contains(t, "the list", s.must("token", "list"), "ENDS", day)
	later.Store(int64(4 * 24 * time.Hour))
	_, err := apiclient.List[access.Session](t.Context(), c, "/api/v1/sessions", nil)
	if codeOf(err) != "token-unknown" || !strings.Contains(err.Error(), "has ended") {
		t.Error("after its end:", err)
	}
	for args, code := range map[string]int{"--expires tomorrow": cmdline.ExitUsage, "--expires 2020-01-01": cmdline.ExitInvalid} {
		if got, out, errs := s.run(append([]string{"token", "create", "--name", "x"},
			strings.Fields(args)...)...); got != code || out != "" {
			t.Error(args, got, errs)
		}
	}
}
