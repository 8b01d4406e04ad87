package test

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"
)

// TestConsoleMoves: what somebody would gain and lose by moving in the directory is seen before it is done there; a
// unit that is not there is said to be none.
func TestConsoleMoves(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(wholeEstate)
	p := consoleOf(t, s)
	p.goTo("/draft")
	p.fill("textbox", "Who moves in the directory", "user:mira")
	p.fill("textbox", "Where to", "-group:clerks")
	p.press("button", "Rehearse the move")
	p.see("1 person of 2 and 0 machines of 1 would notice")
	p.accessible()
	p.look("moves")
	p.clear("textbox", "Where to")
	p.fill("textbox", "Where to", "unit:nowhere")
	p.press("button", "Rehearse the move")
	p.see("The rehearsal did not end")
}

// TestConsoleTimed: a draft is commented on, given a time in the console, seen waiting, taken back, and a grant is
// given its last day as a part of its sentence.
func TestConsoleTimed(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(wholeEstate)
	p := consoleOf(t, s)
	p.goTo("/grants")
	p.press("button", "Open g")
	p.press("button", "for good, change the last day")
	p.fill("combobox", "Find a last day", "2027-06-30")
	p.press("option", "until 2027-06-30")
	p.press("button", "Keep in the draft")
	p.see("1 change not published")
	p.goTo("/draft")
	p.fill("textbox", "Comment", "is that the last day?")
	p.press("button", "Say it")
	p.see("just now: is that the last day?")
	p.fill("textbox", "Why", "the season ends")
	p.eval(`(() => { const e = document.querySelector('input[type="datetime-local"]');
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(e, ` + quote(time.Now().Add(
		48*time.Hour).Format("2006-01-02T15:04")) + `); e.dispatchEvent(new Event("input", { bubbles: true })); return ""; })()`)
	p.accessible()
	p.look("timed")
	p.press("button", "Publish then")
	p.see("It is empty")
	p.see("Published at a time")
	p.accessible()
	p.look("waiting")
	p.press("button", "Take it back")
	p.see("1 object of revision 1 is changed")
	p.see("is that the last day?")
	p.fill("textbox", "Why", "now")
	p.press("button", "Publish 1 change")
	p.see("Revision 2")
	p.see("is that the last day?")
	p.keys(kb.Escape)
	p.look("said")
}
