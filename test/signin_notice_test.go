package test

import (
	"strings"
	"testing"

	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// TestSignInNotice: what an administrator writes for whoever signs in is previewed where it is written, and stands
// above the sign-in, also for whoever is nobody yet; too long a one is refused.
func TestSignInNotice(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(wholeEstate)
	s.calls([]call{
		{"setting set sign_in notice=" + strings.Repeat("x", 601), 3, "at most 600 are shown"},
		{"setting set sign_in notice=Printers~of~the~harbour:~ask~liv.orre.", 0, "liv.orre"},
	}...)
	p := consoleOf(t, s)
	p.goTo("/estate?list=settings&open=sign_in")
	p.fill("textbox", "Notice", "Ask the desk.")
	p.see("So it stands above the fields of a sign-in: Ask the desk.")
	p.accessible()
	p.look("notice-preview")
	s.calls(call{"publish -m notice", 0, "Revision 2"})
	nobody, err := apiclient.New(s.URL, "", nil)
	if err != nil {
		t.Fatal(err)
	}
	me, err := apiclient.Get[api.Me](t.Context(), nobody, "/api/v1/session", nil)
	if err != nil || me.SignedIn || me.Notice != "Printers of the harbour: ask liv.orre." {
		t.Errorf("%+v %v", me, err)
	}
	p.press("button", "Close")
	p.press("button", "Sign out")
	p.see("Sign in to Cirque")
	p.see("Printers of the harbour: ask liv.orre.")
	p.accessible()
	p.look("notice")
}
