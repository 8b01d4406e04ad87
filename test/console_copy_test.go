package test

import "testing"

// TestConsoleCopies: the name of what is open, its address, and the command that a refusal names are on the clipboard
// after one press.
func TestConsoleCopies(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(wholeEstate)
	p := consoleOf(t, s)
	copies := func(button, want string) {
		t.Helper()
		// A browser without a screen has no clipboard that could be read.
		p.eval(`(() => { navigator.clipboard.writeText = (text) => { window.copied = text; return Promise.resolve(); };
			return ""; })()`)
		p.press("button", button)
		p.see("copied")
		if got := p.eval("window.copied"); got != want {
			t.Errorf("%s: %q", button, got)
		}
		p.gone("copied")
	}
	p.goTo("/devices?device=hall-40")
	copies("Copy the name hall-40", "hall-40")
	copies("Copy the address", "ipp://192.0.2.1/ipp/print")
	p.goTo("/draft")
	p.fill("textbox", "What if this fails", "server:nosuch")
	p.press("button", "Rehearse the failure")
	p.see("The rehearsal did not end")
	p.look("refused")
	copies("Copy the command cirque server list", "cirque server list")
}
