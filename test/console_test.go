package test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/network"
	cdp "github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"cirque/core/document"
)

// TestConsoleLineup: sign in, change a word of the sentence, see the lineup change, open a reason.
func TestConsoleLineup(t *testing.T) {
	t.Parallel()
	p := signedIn(t)
	p.accessible()
	p.press("link", "Who gets what")
	p.press("link", "Lineup")
	p.see("Whose lineup?")
	p.press("button", "…, change the person")
	p.fill("combobox", "Find a person", "solv")
	p.press("option", "Mira Solvang (mira.solvang)staff/harbour/booking")
	p.see("Mira Solvang at an unknown location")
	p.gone("hall-mono")
	p.press("button", "…, change the machine")
	p.fill("combobox", "Find a machine", "till-07")
	p.see("Booking hall, till 7")
	p.keys(kb.Enter)
	p.see("Mira Solvang at Booking hall on till-07 in a desktop session")
	p.see("hall-mono")
	p.see("by revision 1")
	p.press("button", "Reasoning for hall-mono")
	p.see("hall-mono is placed by booking-hall, through device hall-40.")
	p.see("wants group:booking-clerks")
	p.accessible()
	p.press("button", "…, change the kind of session")
	p.press("option", "mobile")
	p.see("in a mobile session")
	p.see("failed by the kind of session (sessions) alone")
}

// TestConsoleKeyboard: the same without a mouse.
func TestConsoleKeyboard(t *testing.T) {
	t.Parallel()
	p := signedIn(t)
	p.goTo("/lineup?user=mira.solvang&machine=till-07")
	p.see("hall-mono")
	p.do("focus", focus(p.find("button", "…, change the person")))
	p.keys(kb.Enter)
	p.find("combobox", "Find a person")
	p.keys("ragna")
	p.see("Ragna Holm (ragna.holm)")
	p.keys(kb.ArrowDown + kb.ArrowUp + kb.Enter)
	p.see("Ragna Holm at Booking hall")
	p.do("focus", focus(p.find("button", "Reasoning for boarding-passes")))
	p.keys(kb.Enter)
	p.see("boarding-passes is placed by tills")
	p.keys(kb.Enter)
	p.gone("boarding-passes is placed by tills")
}

func TestConsoleQueues(t *testing.T) {
	t.Parallel()
	p := signedIn(t)
	p.press("link", "Printing")
	p.press("link", "Queues")
	p.see("27 of 27")
	p.fill("searchbox", "Find", "brannoy label")
	p.see("1 of 27")
	p.see("Brannoy freight labels")
	p.until(`location.search.includes("find=brannoy")`)
	p.press("button", "Open brannoy-freight")
	p.see("Waiting for the new ribbon.")
	p.accessible()
	p.keys(kb.Escape)
	p.gone("Waiting for the new ribbon.")
	p.goTo("/queues?state=retired")
	p.see("1 of 27")
	p.see("quay-old")
	// A view is kept for the account: another browser has it, too; what a browser kept before is taken over.
	p.press("summary", "Kept views")
	p.see("None yet.")
	p.fill("textbox", "Name of this view", "Old ones")
	p.press("button", "Keep")
	p.see("Kept views (1)")
	// It is there before anything of the page runs: what another page has just kept need not be there yet for one that
	// another process opens.
	before := p.first(`localStorage.setItem("views queues", JSON.stringify([{name: "Paused", search: "?state=paused"}]))`)
	p.goTo("/queues")
	p.see("27 of 27")
	p.see("Kept views (2)")
	before()
	p.press("summary", "Kept views (2)")
	p.press("link", "Old ones")
	p.see("1 of 27")
	p.press("button", "Forget the view Paused")
	p.see("Kept views (1)")
	if left := p.eval(`localStorage.getItem("views queues") ?? "nothing"`); left != "nothing" {
		t.Error("the browser still has", left)
	}
	p.press("summary", "Kept views (1)")
	p.accessible()
	p.goTo("/queues?sort=-name")
	p.see("27 of 27")
	if first := p.eval(`document.querySelector('[aria-rowindex="2"] [role=cell] button').textContent`); first != "yard" {
		t.Errorf("sorted downwards, the first is %q", first)
	}
	p.accessible()
	p.press("summary", "Kept views (1)") // others use this demo, too
	p.press("button", "Forget the view Old ones")
	p.see("None yet.")
}

func TestConsoleEndpoints(t *testing.T) {
	t.Parallel()
	p := signedIn(t)
	p.press("link", "Endpoints")
	p.see("3 converged, 1 failing")
	p.accessible()
	p.press("button", "Open desk-131")
	p.see("The spooler says: the queue third-floor could not be created: access denied")
	p.accessible()
	p.press("link", "ragna.holm")
	p.see("Ragna Holm at Accounts on desk-131")
}

// TestConsoleFirstRunAndLive: the first account is made in the console, and a change made elsewhere shows by itself.
func TestConsoleFirstRunAndLive(t *testing.T) {
	t.Parallel()
	s := startService(t)
	b, err := os.ReadFile(filepath.Join(s.data, "setup-code"))
	if err != nil {
		t.Fatal(err)
	}
	p := &page{t: t, ctx: tab(t), base: s.URL}
	p.goTo("/")
	p.see("Make the first account")
	p.see("Still missing: the code, a name")
	p.accessible()
	p.fill("textbox", "Set-up code", "not the code")
	p.fill("textbox", "Name", "Mira")
	p.fill("textbox", "Password", "correct horse battery")
	p.fill("textbox", "Password again", "correct horse battery")
	p.press("button", "Make the account and sign in")
	p.see("the set-up code is not right")
	p.clear("textbox", "Set-up code")
	p.fill("textbox", "Set-up code", strings.TrimSpace(string(b)))
	p.press("button", "Make the account and sign in")
	p.see("There is no estate yet")
	p.see("Nothing is published yet.")
	p.see("Live: changes show at once")
	p.accessible()
	p.press("link", "Printing")
	p.press("link", "Queues")
	p.see("There is no queue yet")
	if _, _, err := s.Service.Drafts.Publish(t.Context(), owner, []document.File{{Name: "e", Text: oneQueue}},
		"made elsewhere"); err != nil {
		t.Fatal(err)
	}
	p.see("1 of 1")
	p.see("Revision 1 by test")
	p.see("made elsewhere")
	p.press("button", "Sign out")
	p.see("Sign in to Cirque")
	p.accessible()
	p.fill("textbox", "Name", "mira")
	p.fill("textbox", "Password", "wrong")
	p.press("button", "Sign in")
	p.see("The name or the password is not right")
}

// TestConsoleDark: the night's colours have contrast too.
func TestConsoleDark(t *testing.T) {
	t.Parallel()
	p := signedIn(t)
	p.eval(`localStorage.setItem("cirque-theme", "dark"), "done"`)
	for path, word := range map[string]string{"/": "What happened",
		"/lineup?user=temp.desk&machine=till-07&why=hall-mono": "smallest change", "/queues?queue=cheques": "Who may print",
		"/endpoints": "1 failing", "/grants?grant=tills": "Reaches everybody", "/draft": "It is empty",
		"/history": "It is the first.", "/servers?show=matrix": "Only with holes",
		"/servers?show=kept": "ready to be kept"} {
		p.goTo(path)
		p.see(word)
		p.accessible()
		p.look("dark " + word)
	}
}

// TestConsoleSubjectAndTestPage: all about a person, and a page that goes the way the lineup goes.
func TestConsoleSubjectAndTestPage(t *testing.T) {
	t.Parallel()
	p := signedIn(t)
	p.goTo("/lineup?user=mira.solvang&machine=desk-112&platform=windows/x64&why=hall-mono")
	p.press("button", "All about mira.solvang")
	p.see("ticketing, through booking-clerks")
	p.see("By group:ticketing (through booking-clerks); only where its places hold")
	p.accessible()
	p.keys(kb.Escape)
	p.gone("Named directly by grants")
	p.press("button", "Send a test page")
	p.see("Sent for mira.solvang at desk-112 to ipp://10.40.8.81/ipp/print. The device answers: hall-40 printed 1 page")
	p.goTo("/endpoints?endpoint=desk-112")
	p.press("button", "Have it report now")
	p.see("It has reported since.")
}

// TestConsoleManyQueues: of ten thousand rows only those in view are drawn, and a filter still finds the last.
func TestConsoleManyQueues(t *testing.T) {
	t.Parallel()
	s := startService(t)
	var text strings.Builder
	text.WriteString("estate: 1\nqueues:\n")
	for i := range 10_000 {
		fmt.Fprintf(&text, "  - {name: queue-%05d, title: Queue %d}\n", i, i)
	}
	s.publish(text.String())
	p := consoleOf(t, s)
	p.goTo("/queues")
	p.see("10000 of 10000")
	p.see("queue-00003")
	if drawn := p.eval(`document.querySelectorAll("[role=row]").length`); len(drawn) > 2 {
		t.Errorf("%s rows are drawn", drawn)
	}
	p.fill("searchbox", "Find", "queue-09999")
	p.see("1 of 10000")
	p.see("Queue 9999")
}

// TestConsoleLinkWhileTyping: who follows a link right after the last letter arrives there, also where the next page is
// slow to come: what was typed is not written into the address any more.
func TestConsoleLinkWhileTyping(t *testing.T) {
	t.Parallel()
	p := signedIn(t)
	p.goTo("/queues")
	p.see("27 of 27")
	p.find("link", "Sites")
	p.do("slow down", cdp.Func(func(ctx context.Context, to *cdp.Target) error {
		return to.Call(ctx, network.CommandEmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{
			MatchedNetworkConditions: []*network.Conditions{{Latency: 700, DownloadThroughput: -1, UploadThroughput: -1}}},
			nil)
	}))
	p.fill("searchbox", "Find", "brannoy")
	p.press("link", "Sites")
	p.see("Choose a box to see what hangs on it.") // the page came
	if at := p.eval("location.pathname + location.search"); at != "/site" {
		t.Error("the address is", at)
	}
}
