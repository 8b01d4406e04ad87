package test

import (
	"testing"

	"github.com/chromedp/cdproto/security"
	cdp "github.com/chromedp/chromedp"

	"cirque/core/access"
)

// TestConsolePairing: whoever sits at a machine reads its code, types it at the console, and sees the machine enrolled;
// a code that nobody shows is refused where it was typed.
func TestConsolePairing(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	e.addAccount("mira", access.Administrator)
	machine := e.pair(e.URL, t.TempDir(), facts("till-1", "10.40.8.7"))
	p := &page{t: t, ctx: tab(t), base: e.URL}
	if _, err := cdp.Call(p.ctx, security.SetIgnoreCertificateErrors, // of the service's own authority
		security.SetIgnoreCertificateErrorsParams{Ignore: true}); err != nil {
		t.Fatal(err)
	}
	p.signIn("mira")
	p.see("Overview")
	p.goTo("/endpoints?show=enrolment")
	p.see("cirque-agent enrol --service " + e.URL + " --pair")
	p.fill("textbox", "Code", "0000-0000")
	p.press("button", "Let the machine in")
	p.see("No machine shows that code")
	p.clear("textbox", "Code")
	p.fill("textbox", "Code", machine.code)
	p.look("let-in-typed")
	p.press("button", "Let the machine in")
	p.see("till-1$ is enrolled, at ardholm")
	p.see("with code " + machine.code) // among those that are enrolled
	p.look("let-in")
	<-machine.done
	if machine.err != nil || machine.id.Machine != "till-1$" {
		t.Errorf("%+v %v", machine.id, machine.err)
	}
	p.accessible()
}
