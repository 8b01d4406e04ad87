package test

import (
	"os"
	"strings"
	"testing"
)

// TestConsolePlaces: a place is tried as it is entered, its archives are looked into, kept and stopped on the way, and
// what it offers anew is seen.
func TestConsolePlaces(t *testing.T) {
	t.Parallel()
	old, fresh := slipArchive(t, slipINF), slipArchive(t, strings.Replace(slipINF, "1.4.2.0", "1.5.0.0", 1))
	shelf, url, ca := shelfOf(t, map[string][]byte{"slip.zip": old, "labels.zip": fresh, "notes.txt": []byte("none")})
	cert, err := os.ReadFile(ca)
	if err != nil {
		t.Fatal(err)
	}
	s := startService(t)
	p := consoleOf(t, s)
	p.goTo("/drivers?show=places")
	p.see("Drivers are fetched from no place")
	p.press("button", "Add a place")
	p.fill("textbox", "Name", "yard")
	p.fill("textbox", "Folder", "http://drivers.example/")
	p.press("button", "Try it, and keep it")
	p.see("others could change drivers on the way")
	p.clear("textbox", "Folder")
	p.fill("textbox", "Folder", url)
	p.press("button", "Try it, and keep it")
	p.see("is not trusted")
	p.accessible()
	p.fill("textbox", "Authority of its certificate", string(cert))
	p.press("button", "Try it, and keep it")
	p.see("2 archives: 2 new, 0 changed, 0 kept")
	p.see("1 other file is listed there")
	p.press("button", "Look into slip.zip")
	p.press("button", "1 in slip.zip")
	p.see("windows/x64, version 1.4.2.0")
	p.press("button", "Close")
	p.press("button", "Keep slip.zip")
	p.see("1 new, 0 changed, 1 kept")
	release := shelf.Hold("labels.zip")
	defer release()
	p.press("button", "Keep labels.zip")
	p.press("button", "Stop fetching labels.zip")
	p.see("it was stopped, and nothing of it was kept")
	p.look("places")
	p.accessible()
	shelf.Put("slip.zip", fresh)
	p.press("button", "Look again")
	p.see("another than the one kept")
	_ = shelf.Close()
	p.press("button", "Look again")
	p.see("refuses the connection")
	p.look("places-away")
	p.press("link", "slip")
	p.see("Driver package")
	p.press("button", "Close")
	p.goTo("/drivers?show=places")
	p.press("button", "Forget it")
	p.see("Drivers are fetched from no place")
}
