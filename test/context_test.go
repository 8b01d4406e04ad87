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
