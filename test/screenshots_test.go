package test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	cdp "github.com/chromedp/chromedp"

	"cirque/core/access"
	"cirque/core/estate"
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
	p.see("was published")
	p.see("Live")
	shot("overview")
	p.goTo("/lineup?user=mira.solvang&machine=till-07&platform=windows/x64")
	p.see("hall-mono")
	shot("lineup")
	p.goTo("/lineup?user=mira.solvang&machine=till-07&platform=windows/x64&why=hall-mono")
	p.see("hall-mono is placed by")
	p.see("wants group:booking-clerks")
	shot("reasoning")
	p.press("button", "All about mira.solvang")
	p.see("through booking-clerks")
	shot("person")
	p.goTo("/queues")
	p.see("27 of 27")
	shot("queues")
	d := theDemo(t)
	person := &access.Principal{Name: d.Name, Role: access.Administrator}
	if _, err := d.Service.Edit(t.Context(), person, "", nil, []estate.Edit{
		put("grants", "booking-hall", `{"name":"booking-hall","effect":"place","queues":["hall-mono"],"to":["group:ticketing"],"except":["user:temp.desk"],"at":["location:ardholm/quay-house"],"sessions":["desktop","remote"],"default":10}`),
		put("grants", "board-room", `{"name":"board-room","effect":"offer","queues":["board-room"],"to":["group:managers"],"open":[{"days":["mon","tue","wed","thu","fri"],"from":"08:00","to":"18:00"}]}`),
		{Ref: estate.Ref{List: "grants", Name: "yard"}, Remove: true},
	}); err != nil {
		t.Fatal(err)
	}
	p.goTo("/grants")
	p.see("24 of 24")
	p.see("3 changes not published")
	p.see("gain, ")
	shot("grants")
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
	if _, err := d.Service.PublishDraft(t.Context(), person, "", "Ticketing prints in the hall too", nil); err != nil {
		t.Fatal(err)
	}
	p.goTo("/history")
	p.see("3 objects.")
	shot("history")
	p.goTo("/endpoints?endpoint=desk-131")
	p.see("access denied")
	p.see("Installed")
	shot("endpoint")
	p.goTo("/endpoints")
	p.see("access denied")
	look("dark")
	p.goTo("/lineup?user=temp.desk&machine=desk-112&platform=windows/x64&why=hall-mono")
	p.see("hall-mono is not in the lineup")
	p.see("smallest change")
	shot("reasoning-night")
}
