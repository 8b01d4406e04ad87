package test

import (
	"net"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/webauthn"
	cdp "github.com/chromedp/chromedp"

	"cirque/core/access"
	"cirque/internal/app"
	"cirque/internal/testkit"
)

// startNamed is a service that is known by a name, as passkeys need it, and whose clock can be put forward.
func startNamed(t *testing.T) (*aService, *atomic.Int64) {
	t.Helper()
	at := testkit.FreeAddress(t)
	ahead := new(atomic.Int64)
	return startService(t, func(o *app.Options) {
		_, port, _ := net.SplitHostPort(at)
		o.Listen, o.PublicURL = at, "http://localhost:"+port
		o.Now = func() time.Time { return time.Now().Add(time.Duration(ahead.Load())) }
	}), ahead
}

// atConsole opens the console at the name by which the service is known, in a browser with an authenticator.
func atConsole(t *testing.T, s *aService) *page {
	t.Helper()
	_, port, _ := strings.Cut(strings.TrimPrefix(s.URL, "http://"), ":")
	p := &page{t: t, ctx: tab(t), base: "http://localhost:" + port}
	if _, err := cdp.Call(p.ctx, webauthn.Enable, webauthn.EnableParams{}); err != nil {
		t.Fatal(err)
	}
	if _, err := cdp.Call(p.ctx, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{
		Options: &webauthn.VirtualAuthenticatorOptions{Protocol: webauthn.AuthenticatorProtocolCtap2,
			Transport: webauthn.AuthenticatorTransportInternal, HasResidentKey: true, HasUserVerification: true,
			IsUserVerified: true, AutomaticPresenceSimulation: true}}); err != nil {
		t.Fatal(err)
	}
	return p
}

// TestConsolePasskey: whoever lacks a demanded second factor sets up a passkey before anything else, is shown recovery
// codes, and signs in with it; one-time codes are added from a picture; what matters most asks again, and goes on by
// itself once the passkey is shown; without it a recovery code lets in.
func TestConsolePasskey(t *testing.T) {
	t.Parallel()
	s, ahead := startNamed(t)
	s.addAccount("mira", access.Owner)
	s.publish(strings.Replace(oneQueue, "estate: 1", "estate: 1\nsettings: {sign_in: {second_factor: [owner]}}", 1))
	p := atConsole(t, s)
	p.goTo("/")
	p.fill("textbox", "Name", "mira")
	p.fill("textbox", "Password", "correct horse battery")
	p.press("button", "Sign in")
	p.see("One thing first, mira")
	p.accessible()
	p.fill("textbox", "Where it is", "notebook")
	p.press("button", "Make a passkey")
	p.see("Write these recovery codes down")
	p.accessible()
	codes := regexp.MustCompile(`[a-z2-7]{4}(-[a-z2-7]{4}){3}`).FindAllString(p.text(), -1)
	if len(codes) != 10 {
		t.Fatalf("%d recovery codes are shown:\n%s", len(codes), p.text())
	}
	p.press("button", "I have them")
	p.press("button", "Go on")
	p.see("Overview")
	p.press("button", "Sign out")
	p.see("Sign in to Cirque")
	p.fill("textbox", "Name", "mira")
	p.fill("textbox", "Password", "correct horse battery")
	p.press("button", "Sign in")
	p.press("button", "Show a passkey")
	p.see("Overview")

	p.goTo("/access?show=keys")
	p.see("notebook")
	p.fill("textbox", "Where it is", "phone")
	ahead.Add(int64(16 * time.Minute))
	p.press("button", "Take one-time codes")
	p.see("Is it mira still?")
	p.accessible()
	p.press("button", "Show a passkey")
	p.see("Have your authenticator read this")
	secret := regexp.MustCompile(`[A-Z2-7]{32}`).FindString(p.text())
	phone := &authenticator{t: t, secret: secret, ahead: ahead}
	p.fill("textbox", "The code that it shows now", phone.now())
	p.press("button", "Set it up")
	p.see("one-time codes")
	p.see("10 recovery codes are left")

	// What was asked is not done where nobody shows who they are.
	ahead.Add(int64(16 * time.Minute))
	p.goTo("/access")
	p.press("button", "Make it")
	p.press("button", "Leave it")
	p.see("It stays as it was")
	p.press("button", "Make it")
	p.fill("textbox", "One-time code", phone.next())
	p.press("button", "It is me")
	p.see("Write both down")
	p.accessible()

	p.press("button", "Sign out")
	p.see("Sign in to Cirque")
	p.fill("textbox", "Name", "mira")
	p.fill("textbox", "Password", "correct horse battery")
	p.press("button", "Sign in")
	p.press("button", "I do not have my device: take a recovery code")
	p.fill("textbox", "Recovery code", strings.ToUpper(codes[2]))
	p.press("button", "Sign in")
	p.see("Overview")
	p.goTo("/access?show=keys")
	p.see("9 recovery codes are left")
	contains(t, "the events", s.events(), "notebook, a passkey")
}

// TestConsoleWithoutPasskeys: at a bare address the console says why there are none, and one-time codes go.
func TestConsoleWithoutPasskeys(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.addAccount("olav", access.Person)
	p := signInAs(t, s, "olav")
	p.see("Your printers")
	p.see("passkeys belong to a name, and the service is known as 127.0.0.1")
	p.fill("textbox", "Where it is", "phone")
	p.press("button", "Take one-time codes")
	p.see("Have your authenticator read this")
	p.accessible()
}
