package test

import (
	"testing"

	"cirque/internal/testkit"
)

// TestConsoleDirectory: people are found and looked at; a directory is tried, kept, looked at dry, read, and paused.
func TestConsoleDirectory(t *testing.T) {
	t.Parallel()
	dir := testkit.NewSlapd(t, testkit.LDIF(20, 2, 2))
	s := startService(t)
	s.importDirectory(twoPeople)
	p := consoleOf(t, s)
	p.goTo("/directory")
	p.see("entries")
	p.fill("searchbox", "Find", "mir")
	p.see("1 entry.")
	p.press("link", "mira")
	p.see("Named directly by grants")
	p.accessible()
	p.goTo("/directory?show=sources")
	p.see("No directory is read over LDAP")
	p.press("button", "Add a source")
	p.fill("textbox", "Name", "quay")
	p.fill("textbox", "Address", dir.URL)
	p.fill("textbox", "Base", "dc=nowhere")
	p.press("button", "Try it")
	p.see("has nothing at the base")
	p.clear("textbox", "Base")
	p.fill("textbox", "Base", dir.Base)
	p.press("button", "Try it")
	p.see("person person-0, Person 0")
	p.accessible()
	p.press("button", "Keep it, paused")
	p.see("24 would be added")
	p.see("Paused: nothing is taken in.")
	p.accessible()
	p.press("button", "Read it from now on")
	p.see("24 added, 0 changed")
	p.see("Holds 20 users, 2 groups and 2 machines.")
	p.press("button", "Pause")
	p.see("Paused: nothing is taken in.")
	p.goTo("/directory?show=passes")
	p.see("schedule")
	p.accessible()
}
