package test

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"cirque/core/endpoint"
	"cirque/internal/apiclient"
	"cirque/internal/testkit/wine"
)

// TestWineSpooler runs the tests of the Windows adapter on Wine's spooler, each as a test of its own.
func TestWineSpooler(t *testing.T) {
	p := wine.Here(t)
	p.Build(t, "windows.test.exe", "cirque/internal/windows", true)
	says, err := p.Try(t, `C:\tests\windows.test.exe`, "-test.v", "-test.run", "^TestWine")
	passed := 0
	for l := range strings.Lines(says) {
		result, name, ok := strings.Cut(strings.TrimPrefix(strings.TrimSpace(l), "--- "), ": ")
		name, _, _ = strings.Cut(name, " (")
		if !ok || !slices.Contains([]string{"PASS", "FAIL", "SKIP"}, result) {
			continue
		}
		t.Run(strings.TrimPrefix(name, "TestWineConforms/"), func(t *testing.T) {
			if passed++; result != "PASS" {
				t.Error(result)
			}
		})
	}
	if err != nil || passed < 15 {
		t.Errorf("%d checks, %v\n%s", passed, err, says)
	}
}

// TestWineAgent has the agent for Windows enrol at a service, say what it would do, bring the system's spooler in line,
// report, tell of what people set up, and run as a service of the system.
func TestWineAgent(t *testing.T) {
	p := wine.Here(t)
	e := startEnrolling(t)
	p.Build(t, "cirque-agent.exe", "cirque/cmd/cirque-agent", false)
	p.Build(t, "windows.test.exe", "cirque/internal/windows", true)
	// A spooler with no queue of ours, on which everything goes through the one monitor that Wine has.
	says := p.Run(t, `C:\tests\windows.test.exe`, "-test.run", "^TestWineReady$", "-test.v")
	if !strings.Contains(says, "PASS: TestWineReady") {
		t.Fatal(says)
	}
	agent := func(args ...string) string { t.Helper(); return p.Run(t, `C:\tests\cirque-agent.exe`, args...) }
	_, _ = p.Try(t, `C:\tests\cirque-agent.exe`, "service", "remove") // of a run that broke off
	_ = os.RemoveAll(filepath.Join(p.Dir(), "ProgramData", "Cirque"))

	says, err := p.Try(t, `C:\tests\cirque-agent.exe`, "run")
	if err == nil || !strings.Contains(says, "this machine knows no service") || !strings.Contains(says, "cirque-agent enrol") {
		t.Errorf("without a service: %v, %s", err, says)
	}
	token := filepath.Join(p.Tests(), "token")
	if err := os.WriteFile(token, []byte(e.enrolToken("brannoy", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	if says := agent("enrol", "--service", e.URL, "--token-file", `C:\tests\token`, "--machine", "till-2"); !strings.Contains(
		says, "till-2 is enrolled") {
		t.Error(says)
	}
	identity, err := os.ReadFile(filepath.Join(p.Dir(), "ProgramData", "Cirque", "Agent", "identity.json"))
	if err != nil || strings.Contains(string(identity), "PRIVATE KEY") || !strings.Contains(string(identity), "dpapi:") {
		t.Errorf("the key lies in the clear: %s %v", identity, err)
	}
	if says := agent("plan"); !strings.Contains(says, "add      hall for everybody") || !strings.Contains(says, "nothing was touched") {
		t.Error(says)
	}
	stop := p.Start(t, `C:\tests\cirque-agent.exe`, "run")
	var r endpoint.Record
	within(t, "the queue is there", func() bool {
		got, err := apiclient.Get[endpoint.Judged](t.Context(), e.c, "/api/v1/endpoints/till-2", nil)
		r = got.Record
		return err == nil && len(r.Report.Installed) == 2 && len(r.Report.Failures) == 0
	})
	stop()
	if r.Report.Platform != "windows/x64" || r.Report.Spooler != "windows" {
		t.Errorf("%+v", r.Report)
	}
	if says := agent("plan"); !strings.Contains(says, "It has what it should") || !strings.Contains(says, "leave    Front desk") {
		t.Error(says)
	}
	if says := agent("capture"); !strings.Contains(says, "Front desk") || strings.Contains(says, "hall") ||
		!strings.Contains(says, "ipp://192.0.2.1:631/ipp/print") {
		t.Error(says)
	}

	// As a service it goes on by itself, until it is stopped.
	e.publish(strings.ReplaceAll(enrolEstate, "hall,", "hall, defaults: {sides: two-sided-long-edge},"))
	if says := agent("service", "install"); !strings.Contains(says, "was started") {
		t.Error(says)
	}
	t.Cleanup(func() { _, _ = p.Try(t, `C:\tests\cirque-agent.exe`, "service", "remove") })
	if says := agent("service", "state"); !strings.Contains(says, "The service runs.") {
		t.Error(says)
	}
	within(t, "the service brings the new default", func() bool {
		got, err := apiclient.Get[endpoint.Judged](t.Context(), e.c, "/api/v1/endpoints/till-2", nil)
		return err == nil && len(got.Report.Installed) == 2 && got.State == endpoint.Converged &&
			slices.ContainsFunc(got.Report.Installed, func(i endpoint.Installed) bool {
				return i.Own && i.Options["sides"] == "two-sided-long-edge"
			})
	})
	if says := agent("service", "stop"); !strings.Contains(says, "was stopped") {
		t.Error(says)
	}
	if says := agent("service", "state"); !strings.Contains(says, "does not run") {
		t.Error(says)
	}
	if says := agent("service", "remove"); !strings.Contains(says, "is gone") {
		t.Error(says)
	}
	if says := agent("clear", "--yes"); !strings.Contains(says, "removed hall for everybody") ||
		!strings.Contains(says, "left, since others set them up: 1.") {
		t.Error(says)
	}
}

// isConverged says whether a machine has reported that it has what it should.
func (e *enrolling) isConverged(t *testing.T, machine string) bool {
	t.Helper()
	got, err := apiclient.Get[endpoint.Judged](t.Context(), e.c, "/api/v1/endpoints/"+machine, nil)
	return err == nil && got.State == endpoint.Converged && slices.ContainsFunc(got.Report.Installed,
		func(i endpoint.Installed) bool { return i.Own })
}
