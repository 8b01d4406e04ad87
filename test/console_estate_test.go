package test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// wholeEstate has something in each list.
const wholeEstate = `
estate: 1
locations: [{path: ard, title: Ardholm}, {path: ard/hall, title: Booking hall}, {path: ard/hall/desk}, {path: yard}]
subnets: [{cidr: 10.1.0.0/16, location: ard/hall}]
stations: [{name: till-1, title: Till 1, addresses: [10.1.2.3], location: ard/hall, platform: linux/x64}]
drivers: [{name: mono, exact: "Skerrymark Mono 40 PCL6", platform: windows/x64}]
servers: [{name: ps-1, uri: "ipp://ps-1.example/"}, {name: ps-2, uri: "ipp://ps-2.example/"}]
server_sets: [{name: pair, style: standby, members: [ps-1, ps-2]}]
devices: [{name: hall-40, title: By the window, uri: "ipp://192.0.2.1/ipp/print", location: ard/hall}]
queues: [{name: hall, title: Hall, location: ard/hall, devices: [hall-40], paths: [{device: hall-40}, {set: pair, remote_name: Hall Mono}],
  drivers: {"*": driverless}, defaults: {sides: one-sided}, open: [{days: [mon, tue], from: "08:00", to: "17:00"}],
  access: {allow: ["group:clerks"]}}]
grants: [{name: g, effect: place, queues: [hall], to: ["group:clerks"]}]
notices: [{name: harbour, about: [servers], tell: ["user:mira"]}]
settings: {continuity: {down_after: 3}}
`

// look keeps a picture for whoever wants to see what is tested, where CIRQUE_LOOK names a folder.
func (p *page) look(name string) {
	if dir := os.Getenv("CIRQUE_LOOK"); dir != "" {
		p.picture(filepath.Join(dir, name+".png"))
	}
}

// as gives a client with a token of an account's own.
func (s *aService) as(account string) *apiclient.Client {
	s.t.Helper()
	p := &access.Principal{Name: account, Role: access.Owner, Account: account}
	_, secret, err := s.Service.Identity.MakeOwnToken(s.t.Context(), p, "own of "+account, nil)
	if err != nil {
		s.t.Fatal(err)
	}
	return s.client(secret)
}

// TestConsoleEstate: every list of the estate is seen and edited, with what names an object, what was begun kept while
// a drawer is closed, problems at their keys, and each edit undone.
func TestConsoleEstate(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish(wholeEstate)
	p := consoleOf(t, s)
	p.press("link", "Changes")
	p.press("link", "Estate")
	p.see("4 of 4")
	p.accessible()
	p.look("locations")
	// A view, for everybody.
	p.press("link", "Server sets 1")
	p.see("1 of 1")
	p.eval(`(() => { document.querySelector("summary").click(); return "open"; })()`)
	p.fill("textbox", "Name of this view", "pairs")
	p.press("checkbox", "for everybody who signs in here")
	p.press("button", "Keep")
	p.see("pairs shared")
	p.accessible()
	p.press("link", "Locations 4")
	// A place: begun, closed, there again, kept, undone.
	p.press("button", "Open ard/hall")
	p.see("Named by")
	p.see("subnet 10.1.0.0/16")
	p.clear("textbox", "Title")
	p.fill("textbox", "Title", "Great hall")
	p.press("button", "Close")
	p.press("button", "Open ard/hall")
	p.see("What you had begun here is as you left it.")
	p.accessible()
	p.fill("textbox", "Longest cut of the line", "30d")
	p.press("button", "Keep in the draft")
	p.see("cut belongs to a site")
	p.look("problem")
	p.clear("textbox", "Longest cut of the line")
	p.press("button", "Keep in the draft")
	p.see("Great hall")
	p.see("changed")
	p.press("button", "Open ard/hall")
	p.press("button", "As it is published")
	p.gone("Great hall")
	// A new place, which nothing names, is taken out again.
	p.press("button", "New location…")
	p.fill("textbox", "Path", "yard/store")
	p.press("button", "Keep in the draft")
	p.see("Nothing: it can be taken out.")
	p.press("button", "Take it out")
	p.see("4 of 4")
	// What something names is not taken out.
	p.goTo("/estate?list=devices&open=hall-40")
	p.see("queue hall")
	p.press("button", "Take it out")
	p.see("It cannot be taken out")
	p.look("device")
	p.press("button", "Take it out of them, too")
	p.see("0 of 0")
	p.goTo("/draft")
	for _, name := range []string{"hall-40", "hall"} {
		p.press("button", "Undo "+name)
		p.lacks("button", "Undo "+name)
	}
	p.see("It is empty")
	// A queue: its paths, hours and access.
	p.goTo("/estate?list=queues&open=hall")
	p.see("At present 1 person and 0 machines may print to it")
	p.look("queue")
	p.press("button", "Path 2 earlier")
	for _, step := range [][2]string{{"sat 18", "pointerdown"}, {"sat 19", "pointerover"}, {"sat 20", "pointerover"},
		{"sat 20", "pointerup"}} {
		p.eval(fmt.Sprintf(`(() => { const e = document.querySelector('[data-slot="%s"]'); e.scrollIntoView({block: "center"});
			e.dispatchEvent(new PointerEvent("%s", {bubbles: true, buttons: 1})); return "done"; })()`, step[0], step[1]))
	}
	p.until(`document.querySelector("input[placeholder^='at any hour']").value.includes("sat 09:00-10:30")`)
	p.look("week")
	p.press("button", "Keep in the draft")
	p.see("1 change not published")
	mira := s.as("mira")
	d, err := apiclient.Get[api.Draft](t.Context(), mira, "/api/v1/draft", nil)
	if err != nil || d.Total != 1 || d.Changes[0].Name != "hall" {
		t.Fatalf("%+v %v", d, err)
	}
	list, err := apiclient.List[estate.Drafted](t.Context(), mira, "/api/v1/draft/objects",
		map[string][]string{"list": {"queues"}})
	if err != nil || len(list) != 1 {
		t.Fatal(list, err)
	}
	for _, want := range []string{`"paths":[{"set":"pair","remote_name":"Hall Mono"},{"device":"hall-40"}]`,
		`{"days":["sat"],"from":"09:00","to":"10:30"}`, `"access":{"allow":["group:clerks"]}`} {
		contains(t, "the queue", string(list[0].Object), want)
	}
	// Another like it, and a new one from its device.
	p.goTo("/estate?list=queues&open=hall")
	p.press("button", "Make another like it…")
	p.fill("textbox", "Name", "hall-2")
	p.press("button", "Keep in the draft")
	p.see("Queue hall-2, added in your draft")
	p.press("button", "Close")
	p.see("2 of 2")
	// A setting.
	p.goTo("/estate?list=settings")
	p.press("button", "Open continuity")
	p.see("Failed probes in a row")
	p.look("setting")
	p.clear("textbox", "Down after")
	p.press("button", "Keep in the draft")
	p.see("changed")
	p.see("3 changes not published") // it is kept, else leaving the page breaks it off
	p.goTo("/draft")
	p.see("setting continuity")
	for _, name := range []string{"continuity", "hall-2", "hall"} {
		p.press("button", "Undo "+name)
		p.lacks("button", "Undo "+name)
	}
	p.see("It is empty")
	// All addresses, and where one is.
	p.goTo("/estate?list=addresses")
	p.see("2 of 2")
	p.fill("textbox", "Where is an address?", "10.1.2.3")
	p.press("button", "Look")
	p.see("It is the station till-1.")
	p.see("It lies in 10.1.0.0/16")
	p.accessible()
	p.look("addresses")
	// A table says what it would change before it is kept.
	p.goTo("/estate?list=subnets")
	p.see("1 of 1")
	p.hand("nets.csv", "cidr,location\n10.1.0.0/16,yard\n10.2.0.0/16,yard\n")
	p.see("With nets.csv your draft has 2 changes of this list")
	p.look("table")
	p.press("button", "Keep in the draft")
	p.see("2 of 2")
	p.goTo("/draft")
	p.press("button", "Undo 10.1.0.0/16")
	p.lacks("button", "Undo 10.1.0.0/16")
	p.press("button", "Undo 10.2.0.0/16")
	p.see("It is empty")
	// What others have drafted is seen and taken over; a change of the past is taken back alone.
	mona := s.client(s.tokenFor("mona", access.Administrator, ""))
	if _, err := edit(t, mona, "main", put("locations", "yard", `{"path":"yard","title":"The yard"}`)); err != nil {
		t.Fatal(err)
	}
	p.see("What others have drafted")
	p.press("button", "See it")
	p.see("The yard")
	p.accessible()
	p.look("others")
	p.press("button", "Take it over")
	p.see("1 object of revision 1 is changed")
	if err := publishDraft(t.Context(), mira, "main"); err != nil {
		t.Fatal(err)
	}
	p.goTo("/history?revision=2")
	p.press("button", "Take it back: yard")
	p.see("It is taken back in your draft.")
	p.accessible()
	p.look("undo")
	p.goTo("/estate?list=locations&state=changed")
	p.see("1 of 4")
	// A note about a person, with whoever reads the directory.
	p.goTo("/people/mira")
	p.press("button", "Write a note")
	p.fill("textbox", "Note", "on leave until March")
	p.accessible()
	p.press("button", "Keep it")
	p.see("on leave until March")
	p.look("note")
	// What people ask for has an inbox; what happens every day is left out of the first page.
	if _, err := s.Service.People.RequestQueue(t.Context(), &access.Principal{Name: "jonas", User: "jonas",
		Role: access.Person}, "hall", "lane maps"); err != nil {
		t.Fatal(err)
	}
	p.goTo("/")
	p.see("jonas asks for hall")
	if strings.Contains(p.text(), "signed in from") {
		t.Error("signing in stands on the first page")
	}
	p.press("link", "Requests (1)")
	p.see("lane maps")
	p.accessible()
	p.look("requests")
	p.press("button", "Grant it in my draft")
	p.see("granted it in a draft")
}
