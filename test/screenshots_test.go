package test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	cdp "github.com/chromedp/chromedp"
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
