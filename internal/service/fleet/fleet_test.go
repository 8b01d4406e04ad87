package fleet_test

import (
	"context"
	"strings"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	core "cirque/core/fleet"
	"cirque/core/lineup"
	"cirque/core/page"
	"cirque/internal/service/fleet"
	"cirque/internal/testkit/rooms"
)

const hall = `
estate: 1
locations: [{path: ard}]
subnets: [{cidr: 10.1.0.0/16, location: ard}]
servers: [{name: ps-1, uri: "ipp://ps-1.example/"}]
queues: [{name: hall, paths: [{server: ps-1}]}, {name: near, location: ard, paths: [{server: ps-1}]}]
grants: [{name: g, effect: place, queues: [hall], on: [everyone-machine]}, {name: n, effect: place, queues: [near], at: ["location:ard"]}]
settings: {agents: {report_minutes: 10}}
`

type store struct {
	fleet.Store
	recs   map[string]endpoint.Record
	events []event.Event
	led    []string
	called []string
	now    func() time.Time
}

func (s *store) Endpoint(_ context.Context, machine string) (endpoint.Record, error) {
	r, ok := s.recs[machine]
	if !ok {
		return r, fault.New(fault.Unknown, "endpoint-unknown", "", "no endpoint %q", machine)
	}
	return r, nil
}

func (s *store) EachEndpoint(_ context.Context, f func(endpoint.Record) error) error {
	for _, r := range s.recs {
		if err := f(r); err != nil {
			return err
		}
	}
	return nil
}

func (s *store) SaveReport(_ context.Context, r endpoint.Report, _ string, servers []string,
	happens func(endpoint.Before) []event.Event) (endpoint.Record, error) {
	was, known := s.recs[r.Machine]
	s.events = append(s.events, happens(endpoint.Before{Known: known, Failing: len(was.Report.Failures) > 0})...)
	s.led = servers
	rec := endpoint.Record{FirstSeen: s.now(), LastSeen: s.now(), Report: r}
	s.recs[r.Machine] = rec
	return rec, nil
}

func (s *store) Call(_ context.Context, machine string, _ event.Event) error {
	s.called = append(s.called, machine)
	return nil
}

func room(t *testing.T) (*fleet.Room, *store, *rooms.World) {
	t.Helper()
	w := rooms.New(t, strings.Replace(hall, "on: [everyone-machine]", `on: ["machine:desk-1"]`, 1), directory.Records{
		Machines: []directory.Machine{{Name: "desk-1", Platform: "linux/x64"}}})
	s := &store{recs: map[string]endpoint.Record{}, now: w.Now}
	return fleet.New(fleet.Config{Store: s, Present: w.Present, Now: w.Now}), s, w
}

func report(installed ...endpoint.Installed) endpoint.Report {
	machine := "desk-1"
	return endpoint.Report{Machine: machine, Platform: "linux/x64", Installed: installed,
		Contexts: []lineup.Query{{Machine: &machine}}}
}

var agent = &access.Principal{Name: "the agent on desk-1", Role: access.Agent, Machine: "desk-1"}

// TestReport: the first report, failures and their end are told; state and drift follow; after three intervals without
// a word the endpoint is silent.
func TestReport(t *testing.T) {
	t.Parallel()
	r, s, w := room(t)
	ctx := t.Context()
	if _, err := r.Report(ctx, &access.Principal{Role: access.Agent, Machine: "desk-2"}, report()); !fault.Is(err, fault.Denied) {
		t.Error("another machine's agent reports:", err)
	}
	e, err := r.Report(ctx, agent, report())
	if err != nil || e.State != endpoint.Behind || len(e.Drift) != 1 || e.Drift[0].Queue != "hall" {
		t.Fatalf("%+v %v", e, err)
	}
	bad := report()
	bad.Failures = []endpoint.Failure{{Queue: "hall", Step: "add", Says: "no driver", Since: w.Now()}}
	if e, err = r.Report(ctx, agent, bad); err != nil || e.State != endpoint.Failing {
		t.Errorf("%+v %v", e.State, err)
	}
	lineups := w.Present.View().Lineups(e.Record, w.Now())
	wants := endpoint.PlanFor(lineups).Wants
	if e, err = r.Report(ctx, agent, report(endpoint.Installed{Want: wants[0], Own: true})); err != nil ||
		e.State != endpoint.Converged || strings.Join(s.led, " ") != "ps-1" {
		t.Errorf("%+v %v, leading to %v", e, err, s.led)
	}
	var kinds []string
	for _, e := range s.events {
		kinds = append(kinds, e.Kind)
	}
	if got := strings.Join(kinds, " "); got != "endpoint.joined endpoint.failing endpoint.recovered" {
		t.Error(got)
	}
	w.Pass(31 * time.Minute)
	list, err := r.Endpoints(ctx, rooms.Who(access.Auditor), core.Filter{}, page.Ask{})
	if err != nil || list.Total != 1 || list.Items[0].State != endpoint.Silent {
		t.Errorf("%+v %v", list, err)
	}
	o, err := r.Overview(ctx, rooms.Who(access.Auditor))
	if err != nil || o.Endpoints[endpoint.Silent] != 1 || o.Estate["queues"] != 2 || o.Directory["machines"] != 1 || o.At == nil {
		t.Errorf("%+v %v", o, err)
	}
}

// TestRefresh: its waiting agent is called, here and in other processes.
func TestRefresh(t *testing.T) {
	t.Parallel()
	r, s, w := room(t)
	if _, err := r.Refresh(t.Context(), rooms.Who(access.HelpDesk), "desk-1"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if _, err := r.Report(t.Context(), agent, report()); err != nil {
		t.Fatal(err)
	}
	called, left := w.Present.Agents.Wait("DESK-1")
	defer left()
	if _, err := r.Refresh(t.Context(), rooms.Who(access.HelpDesk), "desk-1"); err != nil {
		t.Fatal(err)
	}
	<-called
	if len(s.called) != 1 {
		t.Error("other processes do not hear of it")
	}
}
