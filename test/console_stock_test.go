package test

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"testing"

	cdp "github.com/chromedp/chromedp"

	"cirque/internal/sim"
)

// TestConsoleStock: a server is registered, looked at, its queues are adopted and led straight to their devices, all at
// the console; every page and drawer on the way is accessible.
func TestConsoleStock(t *testing.T) {
	t.Parallel()
	_, lead := withStandIns(t, twelve()...)
	s := startService(t, lead)
	s.publish("estate: 1\nlocations: [{path: ard, title: Ardholm}, {path: ard/corridor, title: Corridor}]\nsubnets: " +
		"[{cidr: 10.5.0.0/24, location: ard}]\n")
	s.importDirectory(twoPeople)
	p := consoleOf(t, s)
	p.press("link", "Printing")
	p.press("link", "Servers")
	p.see("No print server is known yet")
	p.press("button", "Register a server")
	p.fill("textbox", "Address", "nowhere.example")
	p.press("button", "Try and register")
	p.see("There is no stand-in for nowhere.example:631")
	p.see("Register it anyway")
	p.accessible()
	p.clear("textbox", "Address")
	p.fill("textbox", "Address", "ps-old.example")
	p.press("button", "Try and register")
	p.see("12 queues, 0 not ready, 0 jobs waiting")
	p.accessible()
	p.press("button", "Test page to Floor 1")
	p.see("Printed: the job 6 is completed; the paper has the last word.")
	p.press("button", "Close")
	p.gone("Print server ps-old")
	p.see("1 of 1; 12 queues in all")
	p.press("link", "Their queues")
	p.see("12 of 12")
	p.fill("searchbox", "Find", "10.5.0.1")
	p.see("4 of 12")
	p.press("checkbox", "Choose all that are shown")
	p.press("button", "Adopt 4 queues")
	p.see("Keep 4 queues in the draft")
	p.clear("textbox", "Name")
	p.fill("textbox", "Name", "floor-10")
	p.see("two of these have that name")
	p.clear("textbox", "Name")
	p.fill("textbox", "Name", "ground-floor")
	p.press("button", "Keep 4 queues in the draft")
	p.see("9 changes not published")
	p.gone("Keep 4 queues in the draft")
	p.goTo("/draft")
	p.see("server ps-old added")
	p.fill("textbox", "Why", "adopted")
	p.see("which stop nothing")
	p.press("checkbox", "Publish all the same")
	p.press("button", "Publish 9 changes")
	p.see("Your draft is empty")
	p.goTo("/servers?server=ps-old")
	p.press("summary", "What depends on it, and leaving it")
	p.see("4 queues lead to ps-old")
	p.see("mira.solvang")
	p.press("button", "Lead them there, in the draft")
	p.see("They are in your draft.")
	p.see("4 changes not published")
	p.accessible()
	p.goTo("/site?site=ard")
	p.see("Choose a box to see what hangs on it.")
	p.press("button", "floor-10 Floor 10, corridor")
	p.see("On floor-10 hang 1 device.")
}

// TestConsoleDevices: a scan says what it would touch, shows what it found, and a found device is registered; its sheet
// tells what it said; many are changed together.
func TestConsoleDevices(t *testing.T) {
	t.Parallel()
	_, lead := withStandIns(t, sim.Spec{For: "10.5.0.1:631", Name: "hall-40", Model: "Mono 40", Serial: "SK-1",
		MAC: "02:00:5e:10:05:01", SNMP: "public", Can: []string{"two-sided"}, Supplies: []sim.Supply{{Name: "Black",
			Level: 7}}})
	s := startService(t, lead)
	s.publish("estate: 1\nlocations: [{path: ard}]\nsubnets: [{cidr: 10.5.0.0/24, location: ard}]\ndevices: [{name: " +
		"gone, uri: \"ipp://10.5.0.9/ipp/print\", location: ard}, {name: p1, uri: \"ipp://10.5.0.1/ipp/print\", mac: " +
		"\"02:00:5e:10:05:02\", location: ard}]\nqueues: [{name: hall, devices: [p1], paths: [{device: p1}]}]\n")
	p := consoleOf(t, s)
	p.press("link", "Printing")
	p.press("link", "Devices")
	p.see("2 of 2")
	p.see("silent, address-unkept")
	p.see("swapped")
	p.press("checkbox", "Choose all that are shown")
	p.press("button", "Keep in the draft")
	p.see("2 changes not published")
	p.press("button", "Open p1")
	p.see("another device answers at its address")
	p.see("serial SK-1")
	p.see("7 %")
	p.press("button", "It was exchanged on purpose: this is the one now")
	p.press("button", "Send a test page")
	p.see("Printed: the job 1 is completed")
	p.accessible()
	p.press("button", "Close")
	p.gone("Send a test page")
	p.press("link", "Scan")
	p.fill("textbox", "Subnets, ranges, addresses", "10.5.0.0/30 10.5.0.9")
	p.press("button", "Say what would be touched")
	p.see("3 addresses from 10.5.0.1 to 10.5.0.9; 2 of them belong to listed devices")
	p.press("button", "Begin")
	p.see("1 of 1 address asked, none answered that is not listed")
	p.accessible()
	p.goTo("/queues?queue=hall")
	p.press("summary", "Defaults, as its devices take them")
	p.see("sides")
	p.press("summary", "The whole chain, from the device to the endpoints")
	p.see("no grant gives it, so nobody receives it")
	p.accessible()
	p.goTo("/devices?show=orphans")
	p.see("Devices without a queue: nobody prints there (1)")
}

// TestConsoleDrivers: a package goes up, its names are found, compared and taken, and the report says what lacks.
func TestConsoleDrivers(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory("directory: 1\nmachines: [{name: desk-1, platform: windows/x64}]\n")
	s.publish("estate: 1\ndrivers: [{name: slip, exact: \"Slip 3 v1.4\", platform: windows/x64}]\nqueues: [{name: q, " +
		"paths: [{gateway: true}, {server: ps}], drivers: {windows/x64: slip}}]\nservers: [{name: ps, uri: " +
		"\"ipp://127.0.0.1:1/\"}]\ngrants: [{name: g, effect: place, queues: [q], on: [\"machine:desk-1\"]}]\n")
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, err := z.Create("slip.inf")
	if err == nil {
		_, err = w.Write([]byte(slipINF))
	}
	if err != nil || z.Close() != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "slips.zip")
	if err := os.WriteFile(file, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
	p := consoleOf(t, s)
	p.press("link", "Printing")
	p.press("link", "Drivers")
	p.see("No driver package is kept yet")
	p.do("upload", cdp.SetUploadFiles(cdp.CSS(`input[type=file]`), []string{file}))
	p.see("slips is kept: 1 exact name")
	p.press("button", "Open slips")
	p.see("it names the file slip.gpd, which the package lacks")
	p.accessible()
	p.press("button", "Close")
	p.gone("which the package lacks")
	p.press("link", "Exact names")
	p.see("1 of 1 name; spaces are shown")
	p.press("button", "take it into the draft: Slip 3 v1.4 for windows/x64")
	p.see("1 change not published")
	p.accessible()
	p.press("link", "What lacks a driver")
	p.see("1 queue without a working driver where somebody gets them")
	p.press("link", "Letter by letter")
	p.see("They differ at letter 8: a space more in the second.")
	p.accessible()
	p.goTo("/queues?queue=q")
	p.press("summary", "Drivers, by their exact names")
	p.see("windows/x64")
	p.accessible()
}
