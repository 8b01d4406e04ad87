package test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"
)

const overlapping = `estate: 1
locations: [{path: ard}, {path: ard/hall}, {path: yard}]
devices: [{name: d, uri: "ipp://192.0.2.1/ipp/print", location: ard/hall}]
queues: [{name: hall, title: Hall, location: ard/hall, devices: [d], paths: [{device: d}]}, {name: yard, location: yard, devices: [d], paths: [{device: d}]}]
grants:
  - {name: clerks, effect: place, queues: [hall], to: ["group:clerks"], default: 10}
  - {name: everybody, effect: offer, queues: [hall, yard], to: [everyone]}
  - {name: not-her, effect: withhold, queues: [hall], to: ["user:mira"], at: ["location:yard"]}
`

const overlappingPeople = `directory: 1
users: [{name: mira, display_name: Mira Solvang}, {name: jonas, display_name: Jonas Holm}]
groups: [{name: clerks, members: ["user:mira", "group:temps"]}, {name: temps, members: ["user:jonas"]}]
`

// TestOverlapsByCommand: which grants hold for somebody at once, for all, for a person and at a place; wrong names are
// told.
func TestOverlapsByCommand(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(overlappingPeople)
	s.publish(overlapping)
	s.calls([]call{
		{"grant overlaps", 0, "placed by clerks"},
		{"grant overlaps", 0, "3 pairs."},
		{"grant overlaps --user jonas", 0, "1 pair."},
		{"grant overlaps --location yard", 0, "withheld by not-her"},
		{"grant overlaps --location ard/hall", 0, "1 pair."},
		{"grant overlaps --user mirra", 4, "mira"},
		{"grant overlaps --location ard/hal", 3, "ard/hall"},
		{"grant set not-her to=user:nobody", 0, ""},
		{"grant overlaps --revision draft", 0, "1 pair."},
	}...)
}

// TestRenamedByCommand: an object gets another name in the draft, and what names it follows.
func TestRenamedByCommand(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(overlappingPeople)
	s.publish(overlapping)
	s.calls([]call{
		{"location rename ard skerry --dry-run", 0, "Nothing was changed."},
		{"draft list", 0, "No"},
		{"location rename ard skerry", 0, "is called skerry; 2 objects that name it follow."},
		{"draft rename device d hall-40", 0, "is called hall-40; 2 objects"},
		{"draft rename queue hall booking", 0, "is called booking; 3 objects"},
		{"grant rename clerks desk-clerks", 0, "0 objects that name it follow"},
		{"grant rename clerks x", 4, "see cirque draft list grants"},
		{"grant rename desk-clerks everybody", 6, "there is a grant everybody already"},
		{"draft rename server x y", 4, "there is no server x"},
		{"draft rename subnet 10.0.0.0/8 x", 3, ""},
		{"publish -m renamed", 0, ""},
		{"lineup --user mira --location skerry/hall", 0, "booking"},
		{"why hall --user mira --location skerry/hall", 0, "booking"},
	}...)
}

// TestConsoleOverlaps: the table of overlaps by person and place, a group's members where it is chosen, a grant that was
// begun and closed, and one that gets another name.
func TestConsoleOverlaps(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(overlappingPeople)
	s.publish(overlapping)
	p := consoleOf(t, s)
	p.goTo("/grants")
	p.press("link", "Overlaps")
	p.see("3 of 3")
	p.see("withheld by not-her")
	p.see("mira, jonas")
	p.accessible()
	p.look("overlaps")
	p.press("button", "anybody, change the person")
	p.fill("combobox", "Find a person", "jon")
	p.press("option", "jonas (Jonas Holm)")
	p.see("1 of 1")
	p.see("placed by clerks")
	p.press("button", "any place, change the place")
	p.press("option", "yard")
	p.see("1 of 1")
	p.until(`location.search.includes("location=yard") && location.search.includes("user=jonas")`)

	p.goTo("/grants")
	p.press("button", "Write a grant")
	p.fill("textbox", "Name", "temps")
	p.press("button", "whoever is there, also nobody, change the person, group or unit")
	p.fill("combobox", "Find a person, group or unit", "cler")
	p.see("2 users")
	p.see("Mira Solvang, Jonas Holm")
	p.look("members")
	p.press("option", "clerks (2 users)group, Mira Solvang, Jonas Holm")
	p.keys(kb.Escape)
	p.gone("Still missing")
	p.press("button", "Write a grant")
	p.see("What you had begun here is as you left it.")
	p.find("button", "Take group:clerks out")
	p.press("button", "Begin anew")
	p.see("Still missing: a name; at least one queue.")
	p.keys(kb.Escape)

	p.press("button", "Open everybody")
	p.press("button", "Rename the grant")
	p.clear("textbox", "New name")
	p.fill("textbox", "New name", "clerks")
	p.press("button", "See what would follow")
	p.see("There is a grant clerks already")
	p.clear("textbox", "New name")
	p.fill("textbox", "New name", "all-of-us")
	p.press("button", "See what would follow")
	p.see("Nothing else names it.")
	p.look("rename")
	p.press("button", "Keep the new name in the draft")
	p.see("all-of-us")
	p.lacks("button", "Open everybody")
}

// TestConsolePrints: a list is printed whole, though the screen draws only what is in view.
func TestConsolePrints(t *testing.T) {
	t.Parallel()
	p := signedIn(t)
	p.goTo("/queues")
	p.see("27 of 27")
	p.eval(`(window.print = () => { window.dispatchEvent(new Event("beforeprint")); document.title = "printed"; })`)
	p.press("button", "print this list")
	p.until(`document.title === "printed" && document.querySelectorAll(".print-only tbody tr").length === 27`)
	p.until(`document.querySelector(".print-only caption").textContent.includes("27 of 27")`)
	p.eval(`window.dispatchEvent(new Event("afterprint"))`)
	p.until(`document.querySelectorAll(".print-only").length === 0`)
}

// TestConsoleFindingsAtKeys: what there is to remark on stands beside the field that it is about.
func TestConsoleFindingsAtKeys(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(overlappingPeople)
	s.publish(overlapping)
	p := consoleOf(t, s)
	if err := s.as("mira").Do(t.Context(), "POST", "/api/v1/draft/edits", nil, map[string]any{"edits": []map[string]any{
		{"list": "queues", "name": "hall", "object": map[string]any{"name": "hall", "title": "Hall", "devices": []string{"d"},
			"paths": []map[string]any{{"device": "d"}}, "access": map[string]any{"allow": []string{"user:nobody.here"}}}}}},
		nil); err != nil {
		t.Fatal(err)
	}
	p.goTo("/estate?list=queues&open=hall")
	p.see("its access names user:nobody.here")
	text := p.text()
	who, found, next := strings.LastIndex(text, "Who may print"), strings.Index(text, "its access names user:nobody.here"),
		strings.LastIndex(text, "Takes jobs")
	if who < 0 || who > found || found > next {
		t.Errorf("the finding stands at %d, its field at %d, the next at %d", found, who, next)
	}
	p.accessible()
	p.look("at-keys")
}
