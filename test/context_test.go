package test

import (
	"strings"
	"testing"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/internal/apiclient"
)

const offers = `
estate: 1
locations: [{path: ard}]
subnets: [{cidr: 10.1.0.0/16, location: ard}]
stations: [{name: till, addresses: [10.1.0.7], platform: linux/x64}]
queues:
  - {name: hall, location: ard, paths: [{gateway: true}]}
  - {name: solo, location: ard, paths: [{gateway: true, at: ["subnet:10.1.0.0/16"]}]}
grants:
  - {name: o, effect: offer, queues: [hall], to: ["group:clerks"]}
  - {name: p, effect: place, queues: [solo]}
`

// TestPicksEnd: only what is offered is picked, by people who are known; a pick ends when nothing offers it any more, and
// not when the grant merely does not match just now.
func TestPicksEnd(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(offers)
	s.importDirectory(twoPeople)
	s.must("pick", "hall", "--user", "mira")
	for args, says := range map[string]string{
		"pick hall --user mria": `nobody knows a person "mria": neither the directory nor any endpoint; did you mean mira?`,
		"pick solo --user mira": "solo is placed for mira by p, not offered",
		"pick hal --user mira":  `the estate has no queue "hal"`,
	} {
		if code, _, errs := s.run(strings.Fields(args)...); code == 0 || !strings.Contains(errs, says) {
			t.Errorf("%s: %d %s", args, code, errs)
		}
	}
	picks := func() string {
		list, err := apiclient.List[string](t.Context(), s.c, "/api/v1/people/mira/picks", nil)
		if err != nil {
			t.Fatal(err)
		}
		return strings.Join(list, " ")
	}
	s.publish(strings.Replace(offers, `to: ["group:clerks"]`, `to: ["group:clerks"], open: [{from: "03:00", to: "03:01"}]`, 1))
	if got := picks(); got != "hall" {
		t.Errorf("outside the hours: %q", got)
	}
	s.publish(strings.Replace(offers, "effect: offer", "effect: place", 1))
	within(t, "the pick ends", func() bool { return picks() == "" })
	contains(t, "events", s.events(), "hall is no longer picked by mira: no grant offers it to them any more")
}

// TestContextCompleted: what is known of a machine is added where it was not given, with where it comes from; nobody is
// told of machines that are not theirs to see; and lineups judge what they are given.
func TestContextCompleted(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(offers)
	s.importDirectory(twoPeople + "\nmachines: [{name: desk-9, platform: windows/x64}]\n")
	d := newDesk(t, "machine: desk-1\nplatform: macos/arm64\naddresses: [10.1.0.20]\nsessions: [{user: mira}]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	s.reaches("desk-1", endpoint.Converged)

	contains(t, "a reporting machine", s.must("lineup", "--user", "mira", "--machine", "desk-1"), "at ard on desk-1",
		"Taken: platform macos/arm64, by the report of ", "; addresses 10.1.0.20, by the report of ", "solo")
	contains(t, "a station", s.must("lineup", "--machine", "till"), "platform linux/x64, by the estate's station")
	contains(t, "the directory", s.must("lineup", "--machine", "desk-9"), "platform windows/x64, by the directory")
	if out := s.must("lineup", "--machine", "till", "--as-given"); strings.Contains(out, "Taken") ||
		!strings.Contains(out, "platform not given") {
		t.Error("as given:", out)
	}
	code, out, errs := s.run("why", "solo", "--user", "mria", "--machine", "desk-11")
	if code != 8 || !strings.Contains(errs, "did you mean mira?") || !strings.Contains(errs, "Nothing is known of a machine desk-11") ||
		!strings.Contains(out, "say from which address, or at which location: its path through the gateway is for subnet:10.1.0.0/16") {
		t.Error(code, out, errs)
	}

	// A person is told of the machine at which they sit, and of nobody's names.
	s.addAccount("jonas", access.Person)
	s.addAccount("mira", access.Person)
	asks := func(who, user, machine string) (endpoint.Supplied, error) {
		t.Helper()
		return sends[endpoint.Supplied](s.console(who), "GET", "/api/v1/context?user="+user+"&machine="+machine, nil)
	}
	if got, err := asks("mira", "mira", "desk-1"); err != nil || len(got.Added) != 2 {
		t.Errorf("%+v %v", got, err)
	}
	if got, err := asks("jonas", "jonas", "desk-1"); err != nil || len(got.Added) != 0 {
		t.Errorf("%+v %v", got, err)
	}
	if got, err := asks("jonas", "jonas", "desk-11"); err != nil || len(got.Unknown) != 0 {
		t.Errorf("%+v %v", got, err)
	}
	if _, err := asks("jonas", "mira", "desk-1"); !fault.Is(err, fault.Denied) {
		t.Error(err)
	}
	_, err := apiclient.Get[endpoint.Supplied](t.Context(), s.c, "/api/v1/context", map[string][]string{"platform": {"windows"}})
	if f := fault.As(err); f.Code != "context-invalid" || len(f.Details) != 2 {
		t.Error(err)
	}
}

// TestClosedOnEndpoints: a queue that is paused stays on endpoints, refuses with the sentence, and is opened again; no
// test page is sent to it unasked.
func TestClosedOnEndpoints(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(offers)
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\naddresses: [10.1.0.20]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	file := func() string { return d.file("everybody/solo.yaml") }
	within(t, "it is there", func() bool { return file() != "" })
	s.publish(strings.Replace(offers, "name: solo,", "name: solo, paused: true,", 1))
	within(t, "it is held closed", func() bool { return strings.Contains(file(), "closed: the queue solo is paused") })
	if j := s.reaches("desk-1", endpoint.Converged); len(j.Drift) != 0 {
		t.Errorf("%+v", j)
	}
	if code, _, errs := s.run("test-page", "solo", "--machine", "desk-1"); code != 6 ||
		!strings.Contains(errs, "no test page was sent: the queue solo is paused; say --anyway") {
		t.Error(code, errs)
	}
	if code, _, errs := s.run("endpoint", "checkup", "desk-1", "--queue", "solo"); code != 6 ||
		!strings.Contains(errs, "the queue solo is paused") {
		t.Error(code, errs)
	}
	contains(t, "why", s.must("queue", "list", "-o", "json"), `"The gateway refuses jobs, and says why."`)
	s.publish(offers)
	within(t, "it is opened", func() bool { return file() != "" && !strings.Contains(file(), "closed") })
	if strings.Contains(d.log(), "remove") {
		t.Error(d.log())
	}
}

// TestRenamed: a rename is no loss in a rehearsal, and old names lead to the queue wherever one is named.
func TestRenamed(t *testing.T) {
	t.Parallel()
	s := startService(t)
	s.publish(offers)
	s.importDirectory(twoPeople)
	d := newDesk(t, "machine: desk-1\nplatform: linux/x64\naddresses: [10.1.0.20]\n")
	d.run(s.URL, s.tokenFor("desk-1", access.Agent, "desk-1"))
	within(t, "it is there", func() bool { return d.file("everybody/solo.yaml") != "" })
	for args, says := range map[string]string{
		"queue rename {nam} solo":                  `"{nam}" in the pattern stands for nothing of a queue; did you mean {name}?`,
		"queue rename x-{n} sol":                   `the estate has no queue "sol"; did you mean "solo"?`,
		"queue table nosuch":                       `the estate has no queue "nosuch"`,
		"directory runs nowhere":                   `no directory is read as "nowhere"`,
		"endpoint checkup desk-1 --queue nonsense": `the estate has no queue "nonsense"`,
		"directory renames --drop --id 4":          "there is no rename 4",
		"rehearse --move user:mria=+group:clerks":  `the directory has no user "mria"; did you mean mira?`,
	} {
		if code, _, errs := s.run(strings.Fields(args)...); code != 3 && code != 4 || !strings.Contains(errs, says) {
			t.Errorf("%s: %d %s", args, code, errs)
		}
	}
	s.must("queue", "rename", "{site}-{name}", "solo")
	contains(t, "rehearsal", s.must("rehearse", "--fail-on", "loses>0,empty>0,gains>0"), "a queue's name changes")
	s.must("publish", "-m", "plainer names")
	contains(t, "table", s.must("queue", "table", "solo"), "ard-solo,")
	contains(t, "alternatives", s.must("driver", "try", "solo"), "The device behind solo is")
	within(t, "it is there under its new name", func() bool { return d.file("everybody/ard-solo.yaml") != "" })
	if code, out, errs := s.run("endpoint", "checkup", "desk-1", "--queue", "solo"); !strings.Contains(out, "ard-solo") {
		t.Error(code, out, errs)
	}
}
