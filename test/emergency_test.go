package test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/api"
)

// TestEmergencyAccount: it lets in without a second factor though one is demanded, for an hour, without tokens and not
// at the gateway; whoever uses it is heard of everywhere until an owner seals it anew, and it counts as no other owner.
func TestEmergencyAccount(t *testing.T) {
	t.Parallel()
	s, ahead := startAhead(t)
	s.addAccount("liv", access.Owner)
	s.publish(strings.Replace(oneQueue, "estate: 1", "estate: 1\nsettings: {sign_in: {second_factor: [owner]}}", 1))
	var sealed api.SealedEmergency
	code0, out, errs := s.run("account", "emergency", "-o", "json")
	if code0 != 0 || json.Unmarshal([]byte(out), &sealed) != nil || len(sealed.Password) < 26 {
		t.Fatal(out, errs)
	}
	_, out, _ = s.run("account", "list")
	contains(t, "the accounts", out, "envelope, sealed")
	if me, err := sends[api.Me](&aConsole{s: s, cookie: s.console("liv").cookie}, "GET", "/api/v1/session",
		nil); err != nil || me.Emergency != nil {
		t.Error("a sealed envelope is told of", me.Emergency, err)
	}
	c := &aConsole{s: s}
	me, err := sends[api.Me](c, "POST", "/api/v1/session", api.SignIn(sealed))
	if err != nil || !me.SignedIn || me.Owes || me.Role != access.Owner || me.Emergency == nil {
		t.Fatal(me, err)
	}
	if _, err := sends[any](c, "DELETE", "/api/v1/accounts/emergency", nil); code(err) != "account-emergency" {
		t.Error("it throws itself away:", err)
	}
	if _, err := sends[any](c, "PUT", "/api/v1/session/password", api.NewPassword{Old: sealed.Password,
		New: "quite another passphrase"}); code(err) != "account-emergency" {
		t.Error("it seals itself:", err)
	}
	for _, refused := range []struct {
		path string
		in   any
	}{{"/api/v1/session/tokens", api.NewOwnToken{Name: "x"}}, {"/api/v1/session/factors/begin",
		api.NewFactor{Kind: access.Code, Name: "x"}}, {"/api/v1/emergency-account", nil}} {
		if _, err := sends[any](c, "POST", refused.path, refused.in); code(err) != "account-emergency" {
			t.Errorf("%s: %v", refused.path, err)
		}
	}
	if _, err := s.Service.Identity.ByBasic(t.Context(), "192.0.2.77", sealed.Name,
		sealed.Password); code(err) != "password-alone" {
		t.Error("it prints:", err)
	}
	if _, err := sends[any](c, "DELETE", "/api/v1/accounts/liv", nil); code(err) != "last-owner" {
		t.Error("it counts as an owner:", err)
	}
	if _, err := s.Service.Identity.SetRole(t.Context(), owner, sealed.Name,
		access.Holding{Role: access.Person}); code(err) != "account-emergency" {
		t.Error("it becomes somebody else's:", err)
	}
	_, out, _ = s.run("account", "list")
	contains(t, "the accounts", out, "envelope, OPENED")
	told := func(n int) func() bool {
		return func() bool {
			faults, err := s.Service.Alerts.Faults(t.Context(), owner)
			return err == nil && len(faults) == n && (n == 0 || strings.Contains(faults[0].Says, "account for emergencies"))
		}
	}
	within(t, "notices tell of it", told(1))
	for minute := 0; minute < 60; minute += 20 {
		if !c.in(0) {
			t.Errorf("it is over after %d minutes", minute)
		}
		ahead.Add(int64(20 * time.Minute))
	}
	if c.in(0) {
		t.Error("it lasts for more than an hour")
	}
	if code0, _, errs := s.run("account", "emergency"); code0 != 0 {
		t.Fatal(errs)
	}
	if _, err := sends[api.Me](c, "POST", "/api/v1/session", api.SignIn(sealed)); code(err) != "sign-in-wrong" {
		t.Error("the old password:", err)
	}
	within(t, "notices tell of it no more", told(0))
	contains(t, "the events", s.events(), "The account for emergencies was sealed", "The account for emergencies is used")
}
