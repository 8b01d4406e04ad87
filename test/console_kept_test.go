package test

import (
	"fmt"
	"testing"

	"cirque/core/server"
	"cirque/internal/sim"
)

// TestConsoleKept: a machine whose agent is ready becomes a kept server at the console; what it is to have, what is in
// the way, why, what is within it, and where queues lack stand there, and its queues are led elsewhere in waves.
func TestConsoleKept(t *testing.T) {
	t.Parallel()
	k := sim.Keeper{Machine: "ps-new", For: "ps-new.example:631", Queues: []server.Now{{Want: server.Want{Name: "hall",
		Devices: []string{"ipp://10.5.0.9/ipp/print"}, Comment: "Somebody's"}}}}
	spooler, err := k.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	set, lead := withStandIns(t, k.Spec(), sim.Spec{For: "ps-old.example:631", Name: "ps-old", Model: "Print server",
		Server: true, Queues: []sim.Queue{{Name: "hall", Device: "ipp://10.5.0.1/ipp/print", Waiting: 2}, {Name: "lanes",
			Device: "ipp://10.5.0.2/ipp/print"}}})
	set.Printers[0].Follow = func() []sim.Queue { return sim.Shared(spooler) }
	s := startService(t, lead)
	s.importDirectory(twoPeople)
	s.publish(`estate: 1
locations: [{path: ard, title: Ardholm, timezone: Europe/Oslo}]
servers: [{name: ps-old, uri: "ipp://ps-old.example:631/", location: ard}, {name: ps-far, uri: "ipp://192.0.2.9:631/"}]
devices: [{name: p1, uri: "ipp://10.5.0.1/ipp/print"}, {name: p2, uri: "ipp://10.5.0.2/ipp/print"}]
queues:
  - {name: hall, location: ard, devices: [p1], paths: [{server: ps-old}], access: {allow: ["user:mira"]},
     units: {trays: [tray-1], two-sided: true}}
  - {name: lanes, location: ard, devices: [p2], paths: [{server: ps-old}]}
  - {name: far, devices: [p2], paths: [{server: ps-far}]}
grants: [{name: all, effect: place, queues: [hall, lanes], to: [everyone]}]
`)
	s.keep(t, "ps-new", spooler)
	p := consoleOf(t, s)
	publish := func(button string) {
		p.goTo("/draft")
		p.fill("textbox", "Why", "decided")
		p.look("publish")
		p.press("button", button)
		p.see("Your draft is empty")
	}
	p.goTo("/servers?show=kept")
	p.see("found 1 queue there")
	p.accessible()
	p.look("kept-ready")
	p.clear("textbox", "Address of ps-new")
	p.fill("textbox", "Address of ps-new", "ipp://ps-new.example:631/")
	p.press("button", "Have ps-new kept, in the draft")
	p.see("1 change not published")
	p.see("It gets what leads through it once that is published")
	publish("Publish 1 change")
	p.goTo("/servers?show=kept")
	p.see("0 of 0")

	p.goTo("/servers?server=ps-old")
	p.press("summary", "What waits on it, and what becomes of it")
	p.press("button", "Hold job 9000 in hall")
	p.see("was held")
	p.press("button", "Release job 9000 in hall")
	p.see("was released")
	p.accessible()
	p.look("kept-job")
	p.press("button", "Cancel job 9001 in hall")
	p.see("1 job waits on it.")
	p.press("summary", "What depends on it, and leaving it")
	p.choose("Lead them to", "server/ps-new")
	p.choose("At a time", "50")
	p.press("button", "Next wave, in the draft")
	p.see("Then 1 of 2 lead elsewhere first.")
	p.accessible()
	p.look("kept-wave")
	p.press("button", "Next wave, in the draft")
	p.see("Then 2 of 2 lead elsewhere first.")
	publish("Publish 2 changes")
	s.asStateOf("ps-new", server.RowInTheWay)

	p.goTo("/servers?server=ps-new")
	p.see("Make 1 queue in the way Cirque’s own")
	p.accessible()
	p.look("kept-way")
	p.press("button", "Make 1 queue in the way Cirque’s own")
	p.see("as wanted: it has 2 queues as wanted")
	p.press("button", "All 2 queues")
	p.press("summary", "Why hall is to be there")
	p.see("a path of hall leads through ps-new")
	p.press("summary", "Its drivers, paper forms and ports")
	p.see("Driverless")
	p.accessible()
	p.look("kept-sheet")
	p.goTo("/servers?show=kept")
	p.see("2 of 2")
	p.look("kept-list")
	p.goTo("/servers?show=matrix")
	p.see("No hole on the servers that were read; not read: ps-far")
	p.accessible()
	p.look("kept-matrix")
}

// asStateOf waits until a queue of a kept server stands so.
func (s *aService) asStateOf(name string, state server.RowState) {
	s.t.Helper()
	within(s.t, fmt.Sprintf("a queue of %s is %s", name, state), func() bool {
		for _, r := range s.kept(name).Rows {
			if r.State == state {
				return true
			}
		}
		return false
	})
}
