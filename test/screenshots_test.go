package test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	cdp "github.com/chromedp/chromedp"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/internal/testkit"
)

// TestScreenshots makes the pictures of docs/screenshots; make screenshots runs it.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("CIRQUE_SCREENSHOTS")
	if dir == "" {
		t.Skip("set CIRQUE_SCREENSHOTS to a directory")
	}
	p := signedIn(t)

	shot := func(name string) { p.picture(filepath.Join(dir, name+".png")) }
	look := func(theme string) {
		p.do("theme", cdp.Func(func(ctx context.Context, _ *cdp.Target) error {
			_, err := cdp.Run(ctx, cdp.Evaluate[bool](`localStorage.setItem("cirque-theme", "`+theme+`"); true`))
			return err
		}))
	}

	look("light")
	p.goTo("/")
	p.see("4 endpoints")
	p.see("Live")
	shot("overview")
	p.goTo("/lineup?user=mira.solvang&machine=till-07&platform=windows/x64")
	p.see("hall-mono")
	shot("lineup")
	p.goTo("/lineup?user=mira.solvang&machine=till-07&platform=windows/x64&why=hall-mono")
	p.see("hall-mono is placed by")
	p.see("wants group:booking-clerks")
	shot("reasoning")
	p.goTo("/people/mira.solvang")
	p.see("Booking hall, mono, placed")
	p.see("came into the directory payroll")
	shot("person")
	p.goTo("/queues")
	p.see("27 of 27")
	shot("queues")
	p.goTo("/devices")
	p.see("28 of 28")
	p.gone("not read yet")
	shot("devices")
	office := testkit.NewSlapd(t, testkit.LDIF(340, 24, 60))
	p.goTo("/directory?show=sources")
	p.press("button", "Add a source")
	p.fill("textbox", "Name", "harbour-office")
	p.fill("textbox", "Address", office.URL)
	p.fill("textbox", "Base", office.Base)
	p.press("button", "Try it")
	p.see("A few of what is there")
	p.press("button", "Keep it, paused")
	p.see("424 would be added")
	shot("sources")
	p.goTo("/drivers?show=report")
	p.see("without a working driver")
	shot("drivers")
	p.goTo("/site?site=ardholm")
	p.press("button", "ps-ardholm-2 6 queues; ardholm-pair")
	p.see("On ps-ardholm-2 hang")
	shot("site")
	d := theDemo(t)
	person := &access.Principal{Name: d.Name, Role: access.Administrator}
	if _, err := d.Service.Drafts.Edit(t.Context(), person, "", nil, []estate.Edit{
		put("grants", "booking-hall",
			`{"name":"booking-hall","effect":"place","queues":["hall-mono"],"to":["group:ticketing"],"except":["user:temp.desk"],"at":["location:ardholm/quay-house"],"sessions":["desktop","remote"],"default":10}`),
		put("grants", "board-room", `{"name":"board-room","effect":"offer","queues":["board-room"],"to":["group:managers"],"open":[{"days":["mon","tue","wed","thu","fri"],"from":"08:00","to":"18:00"}]}`),
		{Ref: estate.Ref{List: "grants", Name: "yard"}, Remove: true},
	}); err != nil {
		t.Fatal(err)
	}
	p.goTo("/grants")
	p.see("24 of 24")
	p.see("3 changes not published")
	p.see("gain, ")
	p.press("button", "Open booking-hall")
	p.see("Reaches 11 of 56 people")
	shot("grant")
	p.goTo("/draft")
	p.press("button", "Rehearse the draft")
	p.see("would notice")
	p.press("radio", "by group")
	p.press("button", "…lose a queue: show who")
	p.see("Who would lose a queue")
	shot("draft")
	if _, err := d.Service.Drafts.PublishDraft(t.Context(), person, "", "Ticketing prints in the hall too",
		nil); err != nil {
		t.Fatal(err)
	}
	p.goTo("/history")
	p.see("3 objects.")
	shot("history")
	p.goTo("/endpoints?endpoint=desk-131")
	p.see("access denied")
	p.press("button", "Check it, step by step")
	p.see("Begin with:")
	p.see("From the endpoint itself")
	shot("endpoint")
	p.goTo("/estate?list=queues&open=hall-mono")
	p.see("may print to it")
	p.eval(`(() => { document.querySelector("[data-slot='sun 47']").scrollIntoView({block: "center"}); return "there"; })()`)
	shot("estate")
	p.goTo("/continuity")
	p.choose("Server", "ps-lunnasund-1")
	p.fill("textbox", "Why", "new driver for the stores’ labels")
	p.press("button", "Move everybody off it")
	p.see("nothing waits on it")
	p.choose("Server", "ps-ardholm-1")
	p.fill("textbox", "Why", "driver update")
	p.choose("For how long", "2")
	p.see("go another way")
	shot("duty")
	p.goTo("/endpoints?show=proof&revision=1")
	p.see("because:")
	shot("proof")
	p.goTo("/?show=notices")
	p.press("button", "Try it (harbour)")
	p.see("mail:harbour-desk@skerry.example: mail.skerry.example took it")
	shot("notices")
	if _, err := d.Service.Drafts.Edit(t.Context(), person, "", nil, []estate.Edit{
		put("servers", "ps-lunnasund-3", `{"name":"ps-lunnasund-3","uri":"ipp://ps-lunnasund-3.skerry.example:631/","location":"lunnasund","kept":true}`),
		put("queues", "drawing-office", `{"name":"drawing-office","title":"Drawing office","location":"lunnasund/drawing-office","labels":["colour","a4","a3"],"devices":["drawing-c60"],"paths":[{"set":"lunnasund-pair"},{"device":"drawing-c60"},{"server":"ps-lunnasund-3"}],"drivers":{"*":"driverless","windows/x64":"colour-60-x64"},"units":{"trays":["tray-1","tray-2"],"two-sided":true},"access":{"allow":["group:drawing-office"]}}`),
		put("queues", "stores-labels", `{"name":"stores-labels","title":"Stores labels, aisle A","location":"lunnasund/stores","labels":["label"],"devices":["stores-label-1"],"paths":[{"set":"lunnasund-pair"},{"device":"stores-label-1"},{"server":"ps-lunnasund-3"}],"drivers":{"windows/x64":"label-2-x64","linux":"driverless"}}`),
	}); err != nil {
		t.Fatal(err)
	}
	if _, err := d.Service.Drafts.PublishDraft(t.Context(), person, "", "A third server at Lunnasund, kept",
		nil); err != nil {
		t.Fatal(err)
	}
	p.goTo("/servers?server=ps-lunnasund-3")
	p.see("Make 1 queue in the way Cirque’s own")
	p.press("button", "All 3 queues")
	p.see("fitted with trays tray-1, tray-2")
	shot("server")
	p.goTo("/endpoints")
	p.see("access denied")
	look("dark")
	p.goTo("/access")
	p.see("bjorn.hauge")
	shot("access")
}
