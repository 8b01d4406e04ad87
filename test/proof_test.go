package test

import (
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/internal/sim"
	"cirque/internal/testkit"
)

// TestProof: a change is proven endpoint by endpoint: what has arrived, what failed and why, what a later change
// overtook, who has what they must not, which machines nothing reaches, and from where a test page came.
func TestProof(t *testing.T) {
	t.Parallel()
	s := startService(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	if code, _, errs := s.run("proof"); code != 6 || !strings.Contains(errs, "nothing has been published") {
		t.Error(code, errs)
	}
	s.importDirectory("directory: 1\nusers: [{name: mira}, {name: jonas}]\nmachines: [{name: desk-1}, {name: desk-2}, " +
		"{name: desk-3, platform: chromeos/x64}]\n")
	estate := pairOn("standby", one, two, "{return_over: 0s}")
	s.publish(estate)
	first, second := newDesk(t, "machine: desk-1\nplatform: linux/x64\nsessions: [{user: mira}]\n"),
		newDesk(t, "machine: desk-2\nplatform: linux/x64\nsessions: [{user: jonas}]\nrefuses_queues: [extra]\n")
	first.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	second.run(s.URL, s.tokenFor("desk-2", access.Agent, "desk-2"))
	proof := func(args ...string) string { return s.must(append([]string{"proof"}, args...)...) }
	within(t, "the first revision has arrived", func() bool { return strings.Contains(proof(), "4 of 4 have arrived") })

	more := strings.Replace(estate, "grants:", "  \ngrants:", 1)
	more = strings.Replace(more, "queues: [", "queues: [{name: extra, paths: [{set: pair}]}, ", 1)
	more = strings.Replace(more, "grants: [", "grants: [{name: e, effect: place, queues: [extra], on: "+
		"[\"machine:desk-1\", \"machine:desk-2\", \"machine:desk-3\"]}, ", 1)
	s.publish(more)
	within(t, "the change has arrived where it can", func() bool {
		return strings.Contains(proof(), "1 of 2 have arrived; 1 failed because: add fails since")
	})
	contains(t, "the queue", proof("--queue", "extra"), "desk-2", "failed", "1 more machine receives it and has no agent",
		"test pages from none")
	contains(t, "the queue hall", proof("--queue", "hall"), "2 of 2 have arrived")
	contains(t, "without an agent", s.must("endpoint", "unreached"), "desk-3", "no agent runs on chromeos", "gateway")

	s.run("endpoint", "checkup", "desk-1", "--queue", "hall") // one path leads nowhere, so the answer is no
	contains(t, "with a test page", proof("--queue", "hall"), "test pages from 1 endpoint", "sent ")
	s.must("endpoint", "print-result", "1", "good", "--note", "crisp")
	contains(t, "with what came out", proof("--queue", "hall"), "good, ")

	// Revision 1 again: of its four, what a later change has taken over is said to be so.
	s.publish(strings.Replace(estate, "queues: [hall, solo], to", "queues: [hall], to", 1))
	within(t, "what went is gone", func() bool {
		return strings.Contains(proof(), "4 of 4 have arrived") || strings.Contains(proof(), "3 of 3 have arrived")
	})
	contains(t, "the first revision now", proof("--revision", "1"), "overtaken by a later change", "past")

	// One that is there and must not be: its agent has stopped before the change.
	first.stop()
	s.publish(strings.Replace(estate, "to: [\"everyone\"]", "to: [\"user:jonas\"]", 1))
	contains(t, "beyond", proof("--queue", "hall"), "1 has it and must not", "beyond")
	for _, bad := range [][]string{{"--revision", "99"}, {"--queue", "nosuch"}, {"--revision", "1", "--queue", "hall"}} {
		if code, _, errs := s.run(append([]string{"proof"}, bad...)...); code == 0 || errs == "" {
			t.Error(bad, code, errs)
		}
	}
}

// TestTrial: another driver is tried through a queue of its own, which goes; the real one is not touched; what came out
// is remembered of the model, and decides what is proposed next.
func TestTrial(t *testing.T) {
	t.Parallel()
	set, lead := withStandIns(t, sim.Spec{For: "10.5.0.1:631", Name: "hall-40", Model: "Slip 3"})
	s := startService(t, lead)
	s.importDirectory("directory: 1\nusers: [{name: mira}]\nmachines: [{name: desk-1}]\n")
	s.must("driver", "add", folder(t, map[string]string{"slip.inf": slipINF, "slip.gpd": "x"}), "--name", "slips")
	s.publish("estate: 1\ndevices: [{name: p, uri: \"ipp://10.5.0.1/ipp/print\"}]\nqueues: [{name: hall, devices: [p], " +
		"paths: [{device: p}]}]\ngrants: [{name: g, effect: place, queues: [hall], to: [everyone]}]\n")
	s.must("device", "read", "p")
	d := newDesk(t, "machine: desk-1\nplatform: windows/x64\nsessions: [{user: mira}]\n")
	d.reach = set.Table
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	within(t, "the queue is there", func() bool { return d.file("users/mira/hall.yaml") != "" })
	within(t, "it was reported", func() bool {
		return strings.Contains(s.must("proof", "--queue", "hall"), "arrived where it is expected")
	})
	before := d.file("users/mira/hall.yaml")
	contains(t, "what to try", s.must("driver", "try", "hall", "--machine", "desk-1"), "is Slip 3", "Slip 3  v1.4",
		"driverless (now)", "plain")
	contains(t, "plain", s.must("driver", "try", "hall", "plain", "--machine", "desk-1"), "hall-trial was made",
		"with plain text", "hall was not touched", "cirque endpoint print-result 1")
	if after := d.file("users/mira/hall.yaml"); after != before || d.file("users/mira/hall-trial.yaml") != "" {
		t.Errorf("the trial left its mark:\n%s\n%s", after, d.queues())
	}
	contains(t, "told", s.must("endpoint", "print-result", "1", "good"), "remembered", "the driver is at fault")
	s.must("driver", "try", "hall", "Slip 3  v1.4", "--machine", "desk-1")
	contains(t, "told of the driver", s.must("endpoint", "print-result", "2", "garbled", "--note", "half a page"),
		"What to try next")
	list := s.must("driver", "try", "hall", "--machine", "desk-1")
	if strings.Index(list, "plain") > strings.Index(list, "Slip 3  v1.4") || !strings.Contains(list, "came out garbled once") {
		t.Error(list)
	}
	contains(t, "what is remembered", s.must("driver", "tried", "Slip 3"), "garbled", "half a page", "desk-1")
	for _, bad := range []struct {
		args []string
		says string
	}{
		{[]string{"driver", "try", "hall", "Slip 3 v1.4", "--machine", "desk-1"}, "a space"},
		{[]string{"driver", "try", "hall", "plain"}, "--machine"},
		{[]string{"driver", "try", "nosuch", "--machine", "desk-1"}, "no queue"},
		{[]string{"endpoint", "print-result", "1", "great"}, "good, garbled or nothing"},
		{[]string{"endpoint", "print-result", "x", "good"}, "no checkup's number"},
		{[]string{"endpoint", "print-result", "99", "good"}, "no such checkup"},
	} {
		if code, _, errs := s.run(bad.args...); code == 0 || !strings.Contains(errs, bad.says) {
			t.Errorf("%v: %d %s", bad.args, code, errs)
		}
	}
	if code, out, _ := s.run("driver", "try", "solo", "plain", "--machine", "desk-1"); code == 0 {
		t.Error(out)
	}
	contains(t, "drivers there", s.must("driver", "on"), "No driver")
}

// TestFailoverTest: a server is taken out on purpose, its people are led elsewhere and back, and the report says so;
// only one at a time with a server.
func TestFailoverTest(t *testing.T) {
	t.Parallel()
	s := startService(t)
	one, two := printServer(t, "127.0.0.1:0"), printServer(t, "127.0.0.1:0")
	s.publish(pairOn("standby", one, two, "{return_over: 0s}"))
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\nsessions: [{user: mira}]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	leads := func(to string) func() bool {
		return func() bool { return strings.Contains(d.file("users/mira/hall.yaml"), to) }
	}
	within(t, "the queue leads to the first", leads(one.Addr()))
	within(t, "it was reported", func() bool {
		return strings.Contains(s.must("proof", "--queue", "hall"), "arrived where it is expected")
	})
	contains(t, "who leads where", s.must("endpoint", "paths"), "server ps-1", "hall", "server far", "solo")
	s.must("snapshot", "take", "before", "--note", "all well")
	for _, bad := range []struct {
		args []string
		code int
	}{
		{[]string{"failover-test", "start", "ps-1"}, 3}, {[]string{"failover-test", "start", "ps-1", "--reason", "x",
			"--until", "soon"},
			2}, {[]string{"failover-test", "start", "nosuch", "--reason", "x"}, 4},
		{[]string{"failover-test", "start", "ps-1", "--reason", "x", "--until", "0s"}, 2}, {[]string{"failover-test",
			"show", "7"}, 4},
		{[]string{"failover-test", "stop", "x"}, 2}, {[]string{"snapshot", "take", "before"}, 6}, {[]string{"snapshot",
			"take",
			"Bad Name"}, 3}, {[]string{"snapshot", "compare", "nosuch"}, 4},
	} {
		if code, out, errs := s.run(bad.args...); code != bad.code {
			t.Errorf("%v: %d %s%s", bad.args, code, out, errs)
		}
	}
	s.must("failover-test", "start", "ps-1", "--reason", "spring", "--until", "5m")
	within(t, "the queue leads to the second", leads(two.Addr()))
	within(t, "it is out", func() bool {
		return strings.Contains(s.must("failover-test", "show", "1"), "out        0 of 1 endpoints")
	})
	contains(t, "what is otherwise", s.must("snapshot", "compare", "before"), "ps-1", "drained",
		"hall of mira on desk-1", two.Addr())
	if code, _, errs := s.run("failover-test", "start", "ps-1", "--reason", "twice"); code != 6 || !strings.Contains(errs,
		"not wholly on duty") {
		t.Error(code, errs)
	}
	contains(t, "the checklist", s.must("server", "outage", "ps-1"), "done      Is it kept how it stood before? in the "+
		"snapshot before.", "done      Has everybody moved off it?", "to do     Is it back on duty? not yet.")
	s.must("failover-test", "stop", "1")
	within(t, "the queue leads to the first again", leads(one.Addr()))
	within(t, "it is over", func() bool {
		return strings.Contains(s.must("failover-test", "list"),
			"over: as it should")
	})
	contains(t, "the report", s.must("failover-test", "show", "1"),
		"The one endpoint that led to ps-1 was led elsewhere",
		"Everybody was back ", "Nothing failed", "ended early by test")
	if code, _, errs := s.run("failover-test", "stop", "1"); code != 6 || !strings.Contains(errs, "is over") {
		t.Error(code, errs)
	}
	within(t, "all is as before", func() bool {
		return strings.Contains(s.must("snapshot", "compare", "before", "--only", "hall of mira"), "Nothing differs")
	})
	within(t, "the checklist is through", func() bool {
		return strings.Contains(s.must("server", "outage", "ps-1"), "Is everybody back on it? 1 endpoint leads to it")
	})
	s.must("snapshot", "remove", "before")
	contains(t, "none", s.must("snapshot", "list"), "None was taken")
}

// TestTrialOnRealSpooler: on Debian's spooler plain text comes out of the device, a driver gets the page in the
// format that it takes, nothing of the trials stays, and the driver's files do: staged for nobody, then used.
func TestTrialOnRealSpooler(t *testing.T) {
	t.Parallel()
	u := testkit.NewUnixSpooler(t, false)
	p := &sim.Printer{Spec: sim.Spec{Name: "hall-40", Model: "Skerrymark Mono 40"}}
	if err := p.Listen("127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	s := startService(t)
	s.must("driver", "add", folder(t, map[string]string{"mono.ppd": somePPD("Skerrymark Mono 40")}), "--name", "mono")
	estate := "estate: 1\ndevices: [{name: p, uri: \"ipp://" + p.Addr() + "/ipp/print\"}]\ndrivers: [{name: mono, " +
		"exact: \"Skerrymark Mono 40\", platform: linux}]\nqueues: [{name: hall, devices: [p], paths: [{device: " +
		"p}]}]\ngrants: [{name: g, effect: place, queues: [hall], on: [\"machine:desk-1\"]}]\n"
	s.publish(estate)
	s.must("device", "read", "p")
	spooler := s.followsOn(u, "desk-1")
	within(t, "the queue was reported", func() bool {
		return strings.Contains(s.must("proof"), "it has arrived where it is expected")
	})
	contains(t, "what to try", s.must("driver", "try", "hall", "--machine", "desk-1"), "Skerrymark Mono 40", "plain")
	contains(t, "plain", s.must("driver", "try", "hall", "plain", "--machine", "desk-1"), "is completed",
		"hall was not touched")
	if jobs := p.Jobs(); len(jobs) != 1 || !strings.Contains(string(jobs[0].Body), "Driver   plain text") {
		t.Errorf("the device has %d jobs: %+v", len(jobs), jobs)
	}
	contains(t, "a driver that takes PDF", s.must("driver", "try", "hall", "Skerrymark Mono 40", "--machine", "desk-1"),
		"is completed", "the queue of the trial is gone")
	if jobs := p.Jobs(); len(jobs) != 2 || !strings.HasPrefix(string(jobs[1].Body), "%PDF-") {
		t.Errorf("the device has %d jobs", len(jobs))
	}
	installed, _, err := spooler.List(t.Context(), nil)
	if err != nil || len(installed) != 1 {
		t.Errorf("of the trials something stays: %+v %v", installed, err)
	}
	s.must("endpoint", "refresh", "desk-1")
	within(t, "its files are spare", func() bool { return strings.Contains(s.must("driver", "on", "desk-1"), "spare") })
	s.publish(strings.Replace(estate, "paths: [{device: p}]", "paths: [{device: p}], drivers: {linux: mono}", 1))
	within(t, "it is used", func() bool {
		out := s.must("driver", "on", "desk-1")
		return strings.Contains(out, "used") && strings.Contains(out, "is described by mono.ppd")
	})
}
