package test

import (
	"testing"

	"github.com/chromedp/cdproto/security"
	cdp "github.com/chromedp/chromedp"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/lineup"
	"cirque/core/update"
)

// TestConsolePairing: whoever sits at a machine reads its code, types it at the console, and sees the machine enrolled;
// a code that nobody shows is refused where it was typed.
func TestConsolePairing(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	e.addAccount("mira", access.Administrator)
	machine := e.pair(e.URL, t.TempDir(), facts("till-1", "10.40.8.7"))
	p := &page{t: t, ctx: tab(t), base: e.URL}
	if _, err := cdp.Call(p.ctx, security.SetIgnoreCertificateErrors, // of the service's own authority
		security.SetIgnoreCertificateErrorsParams{Ignore: true}); err != nil {
		t.Fatal(err)
	}
	p.signIn("mira")
	p.see("Overview")
	p.goTo("/endpoints?show=enrolment")
	p.see("cirque-agent enrol --service " + e.URL + " --pair")
	p.fill("textbox", "Code", "0000-0000")
	p.press("button", "Let the machine in")
	p.see("No machine shows that code")
	p.clear("textbox", "Code")
	p.fill("textbox", "Code", machine.code)
	p.look("let-in-typed")
	p.press("button", "Let the machine in")
	p.see("till-1$ is enrolled, at ardholm")
	p.see("with code " + machine.code) // among those that are enrolled
	p.look("let-in")
	<-machine.done
	if machine.err != nil || machine.id.Machine != "till-1$" {
		t.Errorf("%+v %v", machine.id, machine.err)
	}
	p.accessible()
}

// TestConsoleVersions: which versions of the agent run where stands on one page; an update is begun there, paused and
// sent back, and says what came of its machines.
func TestConsoleVersions(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish("estate: 1\n")
	for file, data := range map[string]string{"cirque-agent_0.2.0_amd64.deb": "!<arch>\n2",
		"cirque-agent_0.1.0_amd64.deb": "!<arch>\n1"} {
		if _, _, err := s.Service.Updates.AddPackage(t.Context(), owner, file, []byte(data)); err != nil {
			t.Fatal(err)
		}
	}
	report := func(p *access.Principal, version, updates string) {
		t.Helper()
		if _, err := s.Service.Fleet.Report(t.Context(), p, endpoint.Report{Machine: p.Machine, Version: version,
			Platform: "linux/x64", Spooler: "s", Updates: updates,
			Contexts: []lineup.Query{{Machine: &p.Machine}}}); err != nil {
			t.Fatal(err)
		}
	}
	desk := &access.Principal{Name: "the agent on desk-1", Role: access.Agent, Machine: "desk-1"}
	report(desk, "0.1.0", "deb")
	report(&access.Principal{Name: "the agent on desk-2", Role: access.Agent, Machine: "desk-2"}, "0.1.0", "left")
	p := consoleOf(t, s)
	p.goTo("/endpoints?show=versions")
	p.see("device management")
	p.fill("textbox", "Machines that may fail", "1")
	p.press("button", "Begin")
	p.see("Stage 1 of 3: 5 % of the machines; 25 % not before")
	p.see("are left to device management")
	p.see("can be brought there")
	if err := s.Service.Updates.Said(t.Context(), desk, 1, update.Record{Former: "0.1.0", State: update.Failed,
		Says: "no room for it"}); err != nil {
		t.Fatal(err)
	}
	p.see("failed: no room for it")
	p.look("versions")
	p.accessible()
	p.press("button", "Pause it")
	p.see("Paused: by mira")
	p.press("button", "Have them go back")
	p.see("Those that came by it go back, by mira.")
	p.press("button", "End it")
	p.see("Ended, by mira.")
	p.see("Bring machines to a version")

	p.hand("something.deb", "!<arch>\n3")
	p.see("is no package of the agent by its name")
	p.hand("cirque-agent_0.3.0_amd64.deb", "!<arch>\n3")
	p.see("cirque-agent_0.3.0_amd64.deb is handed out")
	p.look("handed-out")
	p.press("button", "Forget cirque-agent_0.1.0_amd64.deb")
	p.lacks("button", "Forget cirque-agent_0.1.0_amd64.deb")
	p.accessible()
}
