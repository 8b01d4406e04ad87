package test

import "testing"

// TestConsoleGuides: beside each page there is the guide about it, from which the others are reached, each told of
// before it is opened.
func TestConsoleGuides(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(wholeEstate)
	p := consoleOf(t, s)
	p.goTo("/draft")
	p.press("button", "How to")
	p.see("Nothing that is written reaches people before it is published")
	p.see("All guides")
	p.accessible()
	p.look("guide")
	p.until(`[...document.querySelectorAll(".guide a, nav[aria-label='All guides'] span")].length > 10`)
	p.press("button", "Taking stock")
	p.see("Back")
	p.until(`[...document.querySelectorAll(".guide a")].every((a) => a.title !== "" || /^https?:/.test(a.getAttribute("href")))`)
	p.press("button", "Back")
	p.see("Nothing that is written reaches people before it is published")
}
