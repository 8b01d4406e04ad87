package test

import (
	"testing"

	"cirque/core/access"
	"cirque/internal/api"
)

// TestPromises: promises are written, held against drafts and rehearsals, and publishing what breaks one is refused on
// every way, unless it is said that it may.
func TestPromises(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(overlappingPeople)
	s.publish(overlapping)
	s.calls([]call{
		{"promise check", 0, "There are no promises."},
		{"promise add her context.user=mira context.location=ard/hall receives=hall default=hall never=yard", 0,
			"+ promise her"},
		{"promise check --revision draft", 8, "yard is offered by everybody"},
		{"publish -m promised", 6, "this would break 1 promise"},
		{"promise set her never=", 6, "--yes"},
		{"promise set her never= --yes", 0, ""},
		{"promise check --revision draft", 0, "1 promise: 1 kept, 0 broken."},
		{"publish -m promised", 0, "Revision 2"},
		{"promise check", 0, "kept"},
		{"promise show her", 0, "context: {user: mira, location: ard/hall}"},
		{"promise table", 0, "context.user"},

		{"grant set clerks to=user:jonas", 0, ""},
		{"grant set everybody effect=withhold", 0, ""},
		{"rehearse --fail-on promises", 8, "promises: 1 broken, more than 0"},
		{"rehearse", 0, "her: hall is not received: no grant gives it there"},
		{"promise check --revision draft", 8, "hall is not the default: there is none"},
		{"publish -m broken", 6, "promise her: hall is not received"},
		{"history", 0, "promised"},
		{"publish -m broken --break-promises", 0, "Revision 3"},
		{"promise check", 8, "broken"},
		{"estate check --help", 0, ""},

		// What is broken already stops nobody.
		{"location set yard title=Yard", 0, ""},
		{"publish -m more", 0, "Revision 4"},
		{"revert 2 -m back", 0, "Revision 5"},
		{"promise check", 0, "1 kept"},
		{"revert 3 -m forth", 6, "would break 1 promise"},
		{"revert 3 -m forth --break-promises", 0, "Revision 6"},
		{"revert 2 -m back", 0, "Revision 7"},
		{"promise add gone context.user=nobody.here receives=hall", 0, ""},
		{"promise check --revision draft", 0, "the directory does not know nobody.here"},
		{"draft rename queue hall booking", 0, "objects"},
		{"promise check --revision draft", 0, "1 kept, 0 broken, 1 not to be told."},
		{"promise rename her mira-prints", 0, ""},
		{"publish -m renamed", 0, ""},
	}...)
	// At a site, whoever looks after it promises what lies there alone.
	person := s.client(s.tokenFor("reader", access.HelpDesk, ""))
	if err := person.Do(t.Context(), "POST", "/api/v1/draft/publish", nil, api.PublishDraft{Reason: "x",
		BreakPromises: true},
		nil); err == nil {
		t.Error("the help desk broke a promise")
	}
	files := "estate: 1\n"
	if code, _, errs := s.runWith(files, "estate", "apply", "-", "--publish", "-m", "all gone", "--yes"); code != 0 {
		t.Error("promises that are taken out are not broken:", errs)
	}
}

// TestConsolePromises: a promise is written in the console, what breaks it is said with the draft, and publishing wants
// to be told that it may.
func TestConsolePromises(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(overlappingPeople)
	s.publish(overlapping)
	p := consoleOf(t, s)
	p.goTo("/estate?list=promises")
	p.press("button", "New promise…")
	p.fill("textbox", "Name", "her")
	p.press("button", "not said, change the user")
	p.fill("combobox", "Find a user", "mir")
	p.press("option", "mira (Mira Solvang)")
	p.press("button", "none, change the receives")
	p.fill("combobox", "Find a receives", "hal")
	p.press("option", "hall (Hall)queue, ard/hall")
	p.accessible()
	p.look("promise")
	p.press("button", "Keep in the draft")
	p.see("mira: receives hall")
	p.goTo("/draft")
	p.see("1 change")
	p.fill("textbox", "Why", "promised")
	p.press("button", "Publish 1 change")
	p.see("promised")
	s.must("grant", "set", "clerks", "to=user:jonas", "--draft", "other")
	c := s.as("mira")
	if err := c.Do(t.Context(), "POST", "/api/v1/draft/edits", nil, map[string]any{"edits": []map[string]any{
		{"list": "grants", "name": "everybody", "remove": true}, {"list": "grants", "name": "clerks", "remove": true},
		{"list": "grants", "name": "not-her", "remove": true}}}, nil); err != nil {
		t.Fatal(err)
	}
	p.goTo("/draft")
	p.see("and breaks 1 promise")
	p.see("hall is not received: no grant gives it there")
	p.look("breaks")
	p.fill("textbox", "Why", "all gone")
	p.press("checkbox", "Break it, and publish all the same")
	p.press("button", "Publish 3 changes")
	p.see("all gone")
	s.calls(call{"promise check", 8, "broken"})
}
