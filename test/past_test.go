package test

import "testing"

// TestPast: of one object it is told which revisions did what to it, and since when a device's address is kept as it
// is.
func TestPast(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(wholeEstate)
	s.must("draft", "set", "device", "hall-40", "address_kept_by=static")
	s.must("publish", "-m", "fixed at the device")
	s.must("draft", "set", "device", "hall-40", "note=by the window")
	s.must("publish", "-m", "moved")
	s.calls([]call{
		{"history device hall-40", 0, "changed note"}, {"history device hall-40", 0, "changed address_kept_by"},
		{"history device hall-40", 0, "added"}, {"history device", 2, "say which object"},
		{"history device nosuch", 4, "no device nosuch"},
		{"history thing x", 3, "no list"}, {"device show hall-40", 0, "static, as test said"},
		{"device show hall-40", 0, "revision 2"},
	}...)
	p := consoleOf(t, s)
	p.goTo("/devices?device=hall-40")
	p.see("so said test")
	p.see("revision 2")
	p.goTo("/estate?list=devices&open=hall-40")
	p.press("summary", "How it became so")
	p.see("Revision 3 changed note")
	p.see("fixed at the device")
	p.accessible()
	p.look("past")
}
