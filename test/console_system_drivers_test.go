package test

import (
	"context"
	"sync"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/internal/agent"
	"cirque/internal/testkit/windowsparts"
	"cirque/internal/windows"
)

// aWindowsMachine is one on which mira sits.
type aWindowsMachine struct{}

func (aWindowsMachine) Facts(context.Context) (agent.Facts, error) {
	return agent.Facts{Machine: "desk-1", Platform: "windows/x64", Addresses: []string{"10.1.0.9"},
		Sessions: []agent.Session{{User: "mira"}}}, nil
}

// TestConsoleSystemDrivers: an agent on Windows brings its spooler in line, and tells which drivers its system has;
// the console shows them by exact name, those of no queue too. An endpoint's token is made with the command to type.
func TestConsoleSystemDrivers(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.importDirectory(twoPeople)
	s.publish("estate: 1\nqueues: [{name: lobby, title: Lobby, paths: [{gateway: true}]}]\n" +
		"grants: [{name: all, effect: place, queues: [lobby], to: [everyone]}]\n")
	system := windowsparts.New([]string{"Microsoft IPP Class Driver", "Tarnhelm Slip 3  v1.4"}, []string{"mira"})
	a, err := agent.New(agent.Config{Service: s.URL, Token: s.tokenFor("one", access.Agent, "desk-1"), State: t.TempDir(),
		Version: "test", Spooler: windows.New(system.Parts(), "windows/x64"), Machine: aWindowsMachine{},
		Look: 20 * time.Millisecond, Wait: time.Second})
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { _ = a.Run(ctx) })
	t.Cleanup(func() { cancel(); wg.Wait() })
	s.reaches("desk-1", endpoint.Converged)
	p := consoleOf(t, s)
	for _, theme := range []string{"light", "dark"} {
		p.eval(`localStorage.setItem("cirque-theme", "` + theme + `"), "done"`)
		p.goTo("/drivers?show=endpoints")
		p.see("present") // the names are drawn with their blanks
		p.look("drivers-" + theme)
		p.accessible()
		p.goTo("/endpoints?endpoint=desk-1")
		p.press("summary", "Its drivers, and the files they consist of")
		p.see("the system has it, and no queue does")
		p.look("endpoint-" + theme)
		p.accessible()
	}
}
