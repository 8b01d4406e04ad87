package test

import (
	"net/url"
	"testing"

	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// TestConsoleUndoEach: of every list that the console edits, an object is changed, and put back as it is published: the
// draft is empty again, whatever keys the form has read and written.
func TestConsoleUndoEach(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(wholeEstate + "promises: [{name: hers, context: {user: mira}, receives: [hall]}]\n")
	p := consoleOf(t, s)
	mira := s.as("mira")
	changes := func() int {
		d, err := apiclient.Get[api.Draft](t.Context(), mira, "/api/v1/draft", nil)
		if err != nil {
			t.Fatal(err)
		}
		return d.Total
	}
	for _, c := range []struct{ list, name, field, text string }{
		{"locations", "ard/hall", "Note", "by the sea"}, {"subnets", "10.1.0.0/16", "Note", "cabled"},
		{"stations", "till-1", "Title", "The till"}, {"drivers", "mono", "Note", "the old one"},
		{"servers", "ps-1", "Title", "The first"}, {"server_sets", "pair", "Title", "Both"},
		{"devices", "hall-40", "Note", "by the window"}, {"queues", "hall", "Note", "loud"},
		{"notices", "harbour", "Note", "by day"}, {"promises", "hers", "Note", "since May"},
		{"settings", "continuity", "Note", "as agreed"},
	} {
		p.goTo("/estate?list=" + c.list + "&open=" + url.QueryEscape(c.name))
		p.clear("textbox", c.field)
		p.fill("textbox", c.field, c.text)
		p.press("button", "Keep in the draft")
		p.see("1 change not published")
		if n := changes(); n != 1 {
			t.Errorf("%s: %d changes", c.list, n)
		}
		p.goTo("/estate?list=" + c.list + "&open=" + url.QueryEscape(c.name))
		p.press("button", "As it is published")
		p.see("Your draft is empty")
		if n := changes(); n != 0 {
			t.Errorf("%s: %d changes are left", c.list, n)
		}
	}
}
