package test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"cirque/internal/testkit"
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
	p.fill("textbox", "Folder, or spooler", "http://drivers.example/")
	p.press("button", "Try it, and keep it")
	p.see("others could change drivers on the way")
	p.clear("textbox", "Folder, or spooler")
	p.fill("textbox", "Folder, or spooler", url)
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

// TestConsolePlaceOfSpooler: of the many drivers that a spooler brings along one is found by a word, and kept.
func TestConsolePlaceOfSpooler(t *testing.T) {
	t.Parallel()
	all := map[string]string{"labels.ppd": strings.NewReplacer("MODEL", "Tarnhelm Label 2", "\"Skerrymark", "\"Tarnhelm").
		Replace(plainPPD)}
	for i := range 30 {
		all[fmt.Sprintf("mono-%d.ppd", i)] = strings.ReplaceAll(plainPPD, "MODEL", fmt.Sprintf("Skerrymark Mono %d", 100+i))
	}
	spooler := testkit.NewUnixSpooler(t, true)
	spooler.BringAlong(all)
	s := startService(t)
	s.must("driver", "place", "add", "quay", "--folder", spooler.URI)
	p := consoleOf(t, s)
	p.goTo("/drivers?show=places")
	p.see("31 drivers: 31 new")
	p.fill("searchbox", "Find", "label")
	p.see("1 of 1 shown")
	p.press("button", "Keep Tarnhelm Label 2 plain")
	p.see("30 new, 0 changed, 1 kept")
	p.look("place-of-spooler")
	p.accessible()
	p.press("link", "Exact names")
	p.see("the spooler at quay")
}
