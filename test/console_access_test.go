package test

import (
	"os"
	"path/filepath"
	"testing"

	"cirque/core/access"
	"cirque/internal/testkit"
)

// TestConsoleAccess: accounts and rules are made and ended, tokens shown once, sessions ended, and the audit tells of
// it.
func TestConsoleAccess(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish("estate: 1\nlocations: [{path: ardholm, title: Ardholm harbour}, {path: brannoy, title: Brannoy terminal}]")
	dir := testkit.NewSlapd(t, testkit.LDIF(10, 2, 1))
	word := filepath.Join(t.TempDir(), "word")
	if err := os.WriteFile(word, []byte(dir.Password+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, source := range []string{"skerry", "yard"} {
		s.must("directory", "source", "add", source, "--directory", dir.URL, "--base", dir.Base, "--bind", dir.Manager,
			"--password-file", word, "--every", "1h", "--sign-in")
	}
	p := consoleOf(t, s)
	p.goTo("/access")
	p.see("No rule gives anybody more")
	p.fill("textbox", "Name", "olav")
	p.fill("textbox", "Password", "short")
	p.press("button", "Make the account")
	p.see("write at least 12 characters")
	p.fill("textbox", "Password", "er than twelve")
	p.press("button", "Make the account")
	p.see("olav")
	p.accessible()
	p.press("button", "Remove the account olav")
	p.until(`!document.body.innerText.includes("olav")`)
	p.fill("textbox", "Who", "group:clerks")
	p.until(`[...document.querySelectorAll("button")].find((b) => b.innerText === "Give the role").disabled`)
	p.choose("Directory", "yard")
	p.press("button", "Give the role")
	p.until(`document.querySelector("[aria-label='End the rule for group:clerks']")
		?.closest("tr").innerText.includes("yard")`)
	p.accessible()
	p.press("button", "End the rule for group:clerks")
	p.see("No rule gives anybody more")
	p.goTo("/access?show=keys")
	p.see("Signed in at the console")
	p.fill("textbox", "Name", "nightly")
	p.press("button", "Make the token")
	p.see("cirque_")
	p.accessible()
	p.press("button", "Revoke the token nightly")
	p.until(`!document.querySelector("[aria-label='Revoke the token nightly']")`)
	p.goTo("/history?show=audit")
	p.see("The token nightly was revoked")
	p.press("button", "before, after: The token nightly was revoked")
	p.see(`"role": "auditor"`)
	p.accessible()
	p.press("button", "Close")
	p.fill("textbox", "About", "olav")
	p.until(`!document.body.innerText.includes("nightly")`)
	p.see("The account olav was removed")
}

// TestConsoleEnrolment: enrolment is explained where it cannot be, and how agents know people is put into the draft.
func TestConsoleEnrolment(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish("estate: 1\nlocations: [{path: ardholm, title: Ardholm harbour}]")
	s.importDirectory(twoPeople)
	p := consoleOf(t, s)
	p.goTo("/endpoints?show=enrolment")
	p.see("Enrolled machines")
	p.fill("textbox", "Name", "tills")
	p.press("button", "Make the token")
	p.see("run the service with TLS") // the test's own has none, and says so
	p.accessible()
	p.goTo("/endpoints?show=people")
	p.fill("textbox", "Machine", "till-1")
	p.press("button", "Who would it be?")
	p.see("Nobody is reported as signed in at till-1")
	p.fill("textbox", "Sign-in name", "YARD\\mira")
	p.press("button", "Who would it be?")
	p.see("without YARD it is mira, and may be linked")
	p.look("identity")
	p.see("How agents know who sits at a machine")
	p.press("radio", "By asking the person")
	p.fill("textbox", "What a person reads who is asked", "Say who you are.")
	p.see("As the person sees it")
	p.accessible()
	p.press("button", "Put it into the draft")
	p.see("1 change not published")
	p.goTo("/draft")
	p.see("setting agents")
}

// TestConsolePerson: one person's page tells names, groups, lineup, endpoints and history, and links another name.
func TestConsolePerson(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(peopleEstate)
	s.importDirectory("directory: 1\nusers: [{name: mira.solvang, display_name: Mira Solvang}]\ngroups: [{name: clerks, " +
		"members: [\"group:tellers\"]}, {name: tellers, members: [\"user:mira.solvang\"]}]")
	twoAccounts(t, s)
	p := signInAs(t, s, "olav")
	p.see("Overview")
	p.goTo("/directory")
	p.fill("searchbox", "Find", "mira")
	p.see("1 entry.")
	p.press("link", "mira.solvang")
	for _, part := range []string{"Lineup now", "hall, placed", "tellers", "in clerks", "No endpoint has told of them",
		"came into the directory file", "The account mira.solvang was made, as person"} {
		p.see(part)
	}
	p.accessible()
	p.fill("textbox", "Another name of theirs", `SKERRY\msol`)
	p.press("button", "It is theirs too")
	p.see("no directory")
	p.see("says so")
	p.accessible()
	p.goTo("/directory?show=names")
	p.see("1 person has several accounts or names.")
	p.accessible()
	p.press("checkbox", "Accounts of different sources with one mail address are one person")
	p.see("would have several accounts or names")
	p.press("button", "Link them")
	p.until(`document.querySelector("input[type=checkbox]:checked") !== null`)
	p.press("link", "file/mira.solvang")
	p.press("button", `Undo the link of SKERRY\msol`)
	p.see("One: mira.solvang.")
}

// TestConsoleOfAPerson: whoever is nobody but themselves sees their own lineup and nothing else.
func TestConsoleOfAPerson(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(peopleEstate)
	s.importDirectory("directory: 1\nusers: [{name: mira.solvang}]\ngroups: [{name: clerks, members: " +
		"[\"user:mira.solvang\"]}]")
	twoAccounts(t, s)
	p := signInAs(t, s, "mira.solvang")
	p.see("Your printers")
	p.goTo("/access")
	p.see("Your printers")
	p.see("hall, is there for you")
	p.see("desk, yours to pick up")
	p.accessible()
}

// twoAccounts makes an owner, olav, and a person, mira.solvang.
func twoAccounts(t *testing.T, s *aService) {
	t.Helper()
	for _, a := range []access.Account{{Name: "olav", Role: access.Owner}, {Name: "mira.solvang", Role: access.Person}} {
		if _, err := s.Service.Identity.AddAccount(t.Context(), owner, a.Name, "correct horse battery",
			access.Holding{Role: a.Role}); err != nil {
			t.Fatal(err)
		}
	}
}
