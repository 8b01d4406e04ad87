package test

import (
	"testing"

	"cirque/internal/sim"
)

// twoLanguagesINF is a set-up file with two page languages for one model.
const twoLanguagesINF = `[Version]
Signature="$WINDOWS NT$"
Class=Printer
Provider="Skerrymark"
DriverVer=03/01/2026,3.1.0.0
[Manufacturer]
"Skerrymark"=Models,NTamd64
[Models.NTamd64]
"Skerrymark Mono 40 PCL6" = ONE,USBPRINT\M40
"Skerrymark Mono 40 PS" = TWO,USBPRINT\M40PS
`

// TestTwoLanguages: a device that was read brings the driver of its model with it, called by a pattern; what is printed
// decides which language is advised, and a second queue prints on the same device in another.
func TestTwoLanguages(t *testing.T) {
	t.Parallel()
	_, lead := withStandIns(t, sim.Spec{For: "10.5.0.1:631", Name: "mono", Model: "Skerrymark Mono 40", Serial: "SK-1",
		Can: []string{"two-sided"}})
	s := startService(t, lead)
	s.publish("estate: 1\nlocations: [{path: ard}, {path: ard/hall}]\nsubnets: [{cidr: 10.5.0.0/24, location: " +
		"ard/hall}]\n")
	s.importDirectory("directory: 1\nmachines: [{name: desk-1, platform: windows/x64}]\n")
	s.must("driver", "add", folder(t, map[string]string{"mono.inf": twoLanguagesINF}))
	s.must("device", "add", "10.5.0.1", "--name", "new-one")
	contains(t, "adopt", s.must("adopt", "--device", "new-one", "--names", "{last}-{model}-{n}"),
		"hall-skerrymark-mono-40-1", `the driver "Skerrymark Mono 40 PCL6" is proposed: PCL6 is the usual choice`)
	contains(t, "advice", s.must("driver", "names", "--model", "Skerrymark Mono 40", "--uses", "office,layout"),
		"Best with 2 queues on the one device: PCL6 for office; PostScript for layout.")
	s.calls([]call{
		{"adopt --device new-one --names {plac}", 3, "stands for nothing of what was found"},
		{"driver names --uses office", 2, "say the model"},
		{"driver names --model x --uses coffee", 3, "old-programs"},
		{"queue rename hall hall-skerrymark-mono-40-1", 0, ""},
		{"queue second hall hall-ps --language ZPL", 4, "write one of PCL6, PostScript"},
		{"queue second nowhere x --language PCL6", 4, "nowhere"},
		{"queue second hall hall --language PCL6", 6, "there is a queue hall"},
		{"queue second hall hall-ps --language PostScript --dry-run", 0, "Nothing was changed"},
		{"publish -m adopted", 0, "Revision 2"},
	}...)
	p := consoleOf(t, s)
	p.goTo("/queues?queue=hall")
	p.press("summary", "Drivers, by their exact names")
	p.press("checkbox", "typeset pages and pictures")
	p.see("One queue does for all: PostScript for layout.")
	p.press("checkbox", "letters, tables, web pages")
	p.see("Best with 2 queues on the one device: PCL6 for office; PostScript for layout.")
	p.choose("Its language", "PostScript")
	p.fill("textbox", "Its name", "hall-ps")
	p.look("languages")
	p.accessible()
	p.press("button", "Add the second queue")
	p.see("hall-ps is in the draft.")
	p.see("grants that name its labels or place give it already")
	p.goTo("/draft")
	p.see("queue hall-ps")
	p.see("(PostScript)")
	// Whoever has made one prints a page on it, and makes the next.
	p.fill("textbox", "Why", "for the drawings")
	p.press("checkbox", "Publish all the same")
	p.press("button", "Publish 2 changes")
	p.see("Make the next queue")
	p.accessible()
	p.look("next")
	p.press("link", "Print a test page on hall-ps")
	p.see("Queue hall-ps")
	// The way to the device, as the service finds it.
	s.calls(call{"device line new-one", 0, "open"}, call{"device line nosuch", 4, "no device"},
		call{"server line pair --set", 4, "no server set"})
	p.goTo("/devices?device=new-one")
	p.press("button", "Try name and ports")
	p.see("led to")
	p.accessible()
	p.look("line")
}
