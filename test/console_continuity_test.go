package test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/internal/sim"
)

// TestConsoleContinuity: in the console, a set is compared, a server is taken out of duty with its consequences seen
// first, its people are followed until they have moved, it is returned, and an endpoint is checked step by step.
func TestConsoleContinuity(t *testing.T) {
	t.Parallel()
	s := startService(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	two.Change(func([]sim.Queue) []sim.Queue { return []sim.Queue{{Name: "attic"}} })
	s.publish(pairOn("standby", one, two, "{return_over: 1m}"))
	s.importDirectory(twoPeople)
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\naddresses: [10.5.0.7]\nsessions: [{user: mira}]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	for _, n := range []string{"ps-1", "ps-2"} {
		s.must("server", "read", n)
	}
	within(t, "the queue leads to the first", func() bool {
		return d.file("users/mira/hall.yaml") != "" && s.Service.Present.Agents.Polls() == 1
	})
	p := consoleOf(t, s)
	keep := func(name string) {
		if dir := os.Getenv("CIRQUE_LOOK"); dir != "" { // for whoever wants to see what is tested
			p.picture(filepath.Join(dir, name+".png"))
		}
	}

	p.goTo("/continuity?show=sets")
	p.see("1 queue relied on and missing on a member")
	p.see("missing")
	p.accessible()
	keep("sets")
	// Nobody is led to a queue that is missing, so it is set up there first.
	two.Change(func(list []sim.Queue) []sim.Queue { return append(list, sim.Queue{Name: "hall"}) })
	s.must("server", "read", "ps-2")
	p.see("1 of 2 queues not the same everywhere")

	p.press("link", "Out of duty")
	p.see("Every server is on duty")
	p.choose("Server", "ps-1")
	p.see("of the people and machines that are known go another way")
	p.fill("textbox", "Why", "driver update")
	p.choose("For how long", "2")
	keep("duty-form")
	p.press("button", "Move everybody off it")
	p.see("1 of 1 have confirmed")
	p.see("It is empty")
	p.accessible()
	keep("duty")
	p.press("button", "Return it, part by part (ps-1)")
	p.see("of its people so far")
	p.press("button", "Take all its people back now (ps-1)")
	p.see("Every server is on duty")

	p.goTo("/endpoints?endpoint=desk-1")
	p.see("as it should be")
	p.press("button", "Check it, step by step")
	p.see("From the endpoint itself")
	p.see("answers from this machine")
	p.see("Begin with: ipp://127.0.0.1:1")
	p.accessible()
	keep("checkup")

	p.goTo("/endpoints?show=time")
	p.see("of 1 endpoint have what they should")
	p.accessible()
	keep("fleet")

	p.press("link", "Pace")
	p.see("With 1 endpoint that is about 2 questions a minute")
	p.fill("textbox", "A connected agent waits for a change", "3s")
	p.see("Write 5s to 5m, or nothing for 55s.")
	p.clear("textbox", "A connected agent waits for a change")
	p.fill("textbox", "A connected agent waits for a change", "20")
	p.see("Write 5s to 5m, or nothing for 55s.") // twenty of what?
	p.clear("textbox", "A connected agent waits for a change")
	p.fill("textbox", "A connected agent waits for a change", "20s")
	p.see("about 3 questions a minute")
	p.press("button", "Put it into the draft (How agents ask)")
	p.see("It is in the draft; publish it.")
	p.see("1 change not published")
	p.accessible()
	keep("pace")
	d2, err := s.Service.Drafts.Draft(t.Context(), &access.Principal{Name: "mira", Account: "mira",
		Role: access.Owner}, "")
	if err != nil || d2.Document.Agent().Wait.D() != 20*time.Second {
		t.Errorf("%+v %v", d2.Document.Settings, err)
	}
}
