package test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"cirque/core/document"
	"cirque/internal/service/sources"
)

// consoleOf sets a service's first account up and opens its console, signed in.
func consoleOf(t *testing.T, s *aService) *page {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(s.data, "setup-code"))
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.Service.Identity.SetUp(t.Context(), "test", string(b), "mira", "correct horse battery"); err != nil {
		t.Fatal(err)
	}
	p := signInAs(t, s, "mira")
	p.see("Overview")
	return p
}

// signInAs signs an account in at the console.
func signInAs(t *testing.T, s *aService, name string) *page {
	t.Helper()
	p := &page{t: t, ctx: tab(t), base: s.URL}
	p.signIn(name)
	return p
}

func (p *page) signIn(name string) {
	p.t.Helper()
	p.goTo("/")
	p.fill("textbox", "Name", name)
	p.fill("textbox", "Password", "correct horse battery")
	p.press("button", "Sign in")
}

// TestConsoleGrant: a grant is written as a sentence, shows at once whom it reaches, waits in the draft, is rehearsed,
// published, compared in the history, and reverted.
func TestConsoleGrant(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	s.importDirectory(twoPeople)
	p := consoleOf(t, s)
	p.press("button", "Find, change the person, place, queue, grant or anything else")
	p.fill("combobox", "Find a person, place, queue, grant or anything else", "10.1.0")
	p.press("option", "10.1.0.0/16 (ard/hall)subnet")
	p.see("Subnet 10.1.0.0/16")
	p.press("button", "Close")
	p.press("button", "Find, change the person, place, queue, grant or anything else")
	p.fill("combobox", "Find a person, place, queue, grant or anything else", "mir")
	p.press("option", "mirauser")
	p.see("Lineup now")
	p.accessible()
	p.press("link", "Who gets what")
	p.press("link", "Grants")
	p.see("1 of 1")
	p.see("Your draft is empty")
	p.press("button", "Write a grant")
	p.see("Still missing: a name; at least one queue.")
	p.fill("textbox", "Name", "yard people")
	p.see("a name of lower-case letters")
	p.clear("textbox", "Name")
	p.fill("textbox", "Name", "yard")
	p.press("button", "which queues?, change the queue, label or place")
	p.fill("combobox", "Find a queue, label or place", "hal")
	p.press("option", "hall (Hall)queue, ard/hall")
	p.see("Reaches everybody, on any machine, also with nobody signed in.")
	p.see("everybody receives it everywhere, also with nobody signed in")
	p.accessible()
	p.press("button", "…, change the person, group or unit")
	p.fill("combobox", "Find a person, group or unit", "jon")
	p.press("option", "jonasuser")
	p.see("Reaches 1 of 2 people, on any machine.")
	p.see("Not mira")
	p.press("button", "…, change the effect")
	p.press("option", "OfferTheirs to pick up.")
	p.press("button", "…, change the hours")
	p.fill("combobox", "Find a hours", "mon-wed 08:00-12:00")
	p.press("option", "Add mon tue wed 08:00-12:00")
	p.see("mon tue wed 08:00-12:00")
	p.press("button", "Keep in the draft")
	p.see("1 change not published")
	p.see("1 gain, 0 lose")
	p.see("2 of 2")
	// Nothing has reached anybody.
	if l, _ := ask(t, s.c, `{"user":"jonas","time":"2026-11-23T09:00:00Z"}`); len(l.Entries) != 0 {
		t.Errorf("%+v", l.Entries)
	}
	p.goTo("/lineup?user=jonas&time=2026-11-23T09:00:00Z&estate=draft")
	p.see("1 queue, by your draft")
	p.goTo("/draft")
	p.see("1 object of revision 1 is changed.")
	p.see("mon tue wed 08:00-12:00")
	p.press("button", "Rehearse the draft")
	p.see("1 person of 2 and 0 machines of 0 would notice.")
	p.see("edges of opening hours in the coming week")
	p.press("button", "1 gain a queue: show who")
	p.see("Who would gain a queue: 1 context")
	p.see("not seen yet, at some times only")
	p.accessible()
	p.fill("textbox", "What if this fails", "device:p")
	p.press("button", "Rehearse the failure")
	p.see("Were down: device p.")
	p.see("have a stranded queue")
	p.press("summary", "Who depends on a single server or device")
	p.press("button", "Rehearse without device p")
	p.see("Were down: device p.")
	p.see("Still missing: a reason.")
	p.fill("textbox", "Why", "the yard asked for it")
	p.press("button", "Publish 1 change")
	p.see("Revision 2: the yard asked for it current; mira")
	p.see("grant yard added")
	p.accessible()
	if l, _ := ask(t, s.c, `{"user":"jonas","time":"2026-11-23T09:00:00Z"}`); len(l.Entries) != 1 ||
		l.Entries[0].Effect != "offered" {
		t.Errorf("%+v", l.Entries)
	}
	p.press("button", "Revision 1: test")
	p.see("It is the first.")
	p.fill("textbox", "Why go back to revision 1", "not yet")
	p.press("button", "Make it current again")
	p.see("Revision 3: not yet current; mira")
}

// TestConsoleTogether: many grants and many queues are changed together, and undone one by one.
func TestConsoleTogether(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue + `
---
estate: 1
grants:
  - {name: h, effect: offer, queues: [hall], to: ["user:jonas"]}
  - {name: i, effect: offer, queues: [hall], at: ["location:ard/yard"]}
`)
	s.importDirectory(twoPeople)
	p := consoleOf(t, s)
	p.goTo("/grants?effect=offer")
	p.see("2 of 3")
	p.press("checkbox", "Choose all that are shown")
	p.see("2 of 3, 2 chosen")
	p.accessible()
	p.press("button", "choose, change the effect")
	p.press("option", "WithholdKept away, whatever else gives it.")
	p.press("button", "Keep in the draft")
	p.see("2 changes not published")
	p.goTo("/queues")
	p.press("checkbox", "Choose hall")
	p.see("Of 1 queue")
	p.press("button", "Keep in the draft")
	p.see("1 changed in the draft")
	p.see("3 changes not published")
	p.press("button", "Open hall")
	p.see("paused in the draft")
	p.press("summary", "Who has it")
	p.see("2 of 2 people and 0 of 0 machines, by revision 1. Who is not listed does not have it.")
	p.press("button", "Take it out")
	p.see("grant g names the queue hall, which is not there")
	p.accessible()
	p.goTo("/draft")
	p.press("button", "Undo h")
	p.see("2 changes not published")
	p.press("button", "Discard the draft…")
	p.press("button", "Throw 2 changes away")
	p.see("It is empty")
}

// TestConsoleConflict: what clashes with what somebody else has published is shown from both sides, and mended by an
// undo.
func TestConsoleConflict(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	p := consoleOf(t, s)
	p.goTo("/queues?queue=hall")
	p.press("button", "Pause it")
	p.see("1 change not published")
	s.publish(strings.Replace(oneQueue, "title: Hall", "title: The hall", 1))
	p.see("1 conflict with what was published since")
	p.goTo("/draft")
	p.see("queue hall was changed since the draft began, and the draft changes it differently")
	p.see("Yours:")
	p.see("Published since:")
	p.see("Mend the conflicts first.")
	p.accessible()
	p.press("button", "Undo hall")
	p.see("It is empty")
}

// TestConsoleLargeDirectory: a picker finds one of a hundred thousand people, with the keyboard alone.
func TestConsoleLargeDirectory(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(oneQueue)
	var text strings.Builder
	text.WriteString("directory: 1\nusers:\n")
	for i := range 100_000 {
		fmt.Fprintf(&text, "  - {name: person-%06d}\n", i)
	}
	if _, err := s.Service.Sources.Import(t.Context(), owner, sources.Intake{Source: "large",
		Files: []document.File{{Name: "d.yaml", Text: text.String()}}}); err != nil {
		t.Fatal(err)
	}
	p := consoleOf(t, s)
	p.goTo("/grants?grant=g")
	p.see("Reaches 0 of 100000 people")
	p.do("focus", focus(p.find("button", "or…, change the person, group or unit")))
	p.keys(kb.Enter)
	p.find("combobox", "Find a person, group or unit")
	p.see("99950 more; type to narrow.")
	p.keys("person-09999")
	p.see("person-099999")
	p.keys(kb.ArrowDown + kb.Enter)
	p.see("Reaches 1 of 100000 people")
}
