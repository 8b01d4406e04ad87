package test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"cirque/internal/agent"
)

// TestConsent: where it is asked for, a machine tells what would print elsewhere, and has nothing changed before
// somebody agrees there; whoever takes all away again prints as before.
func TestConsent(t *testing.T) {
	t.Parallel()
	e := startEnrolling(t)
	e.publish("estate: 1\nlocations: [{path: ardholm}]\n" +
		"queues: [{name: hall, location: ardholm, devices: [d], paths: [{device: d}]}]\n" +
		"devices: [{name: d, uri: 'ipp://192.0.2.1/'}]\n" +
		"grants: [{name: all, effect: place, queues: [hall], default: 1, insist: true}]\n")
	d := newDesk(t, "machine: till-1\nplatform: linux/x64\nsessions: [{user: mira.solvang}]\n")
	for _, folder := range []string{"everybody", "users/mira.solvang"} {
		if err := os.MkdirAll(filepath.Join(d.dir, folder), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	d.write("everybody/by-hand.yaml", "uri: ipp://192.0.2.1/\n")
	d.write("users/mira.solvang/default", "by-hand\n")
	state := filepath.Join(d.dir, ".agent")
	if _, err := agent.Enrol(t.Context(), e.URL, e.enrolToken("ardholm", 1), state, e.ca, facts("till-1")); err != nil {
		t.Fatal(err)
	}
	ask := func(c *agent.Config) { c.Consent = true }
	d.runEnrolled(ask)
	shown := func() string {
		_, out, _ := e.runTLS("endpoint", "show", "till-1$")
		return out
	}
	within(t, "the service knows that it waits", func() bool {
		return strings.Contains(shown(), "Nothing is changed there before somebody agrees")
	})
	contains(t, "what it would do", shown(), "hall", "behind")
	at, err := agent.Open("standin:" + d.dir)
	if err != nil {
		t.Fatal(err)
	}
	lines, err := agent.Plan(t.Context(), at)
	if err != nil {
		t.Fatal(err)
	}
	contains(t, "the plan", strings.Join(lines, "\n"),
		"redirect mira.solvang prints to by-hand where nobody chooses, and to hall from then on",
		"twice    hall leads to the same place as by-hand, which stays: whoever has both sees it twice")
	contains(t, "after somebody has looked what it would do", shown(), "Nothing is changed there")
	d.stop()
	d.runEnrolled(ask) // it is no question of when it was started
	if err := agent.CallHere(state); err != nil {
		t.Fatal(err)
	}
	within(t, "it has looked", func() bool { return strings.Contains(shown(), "Nothing is changed there") })
	if d.file("log") != "" {
		t.Fatal("something was changed before anybody agreed: " + d.file("log"))
	}

	if lines, err = agent.Status(t.Context(), state, at.Machine); err != nil {
		t.Fatal(err)
	}
	contains(t, "how it stands", strings.Join(lines, "\n"), "Nothing of it is done here before somebody agrees")
	if err := agent.Agree(state); err != nil {
		t.Fatal(err)
	}
	within(t, "it has its queue", func() bool {
		return e.isConverged(t, "till-1$") && strings.HasPrefix(d.file("users/mira.solvang/default"), "hall")
	})
	if out := shown(); strings.Contains(out, "agrees") {
		t.Error(out)
	}
	d.stop()
	lines, err = agent.Clear(t.Context(), at)
	if err != nil {
		t.Fatal(err)
	}
	contains(t, "taking it away", strings.Join(lines, "\n"), "removed hall", "mira.solvang prints to by-hand again where "+
		"nobody chooses, as before", "left, since others set them up: 1.")
	if now := d.file("users/mira.solvang/default"); now != "by-hand\n" {
		t.Errorf("the default is %q", now)
	}
}
