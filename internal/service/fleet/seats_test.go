package fleet_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/service/fleet"
	"cirque/internal/testkit/rooms"
)

// told is a store that knows what one endpoint reported.
type told struct {
	fleet.Store
	rec endpoint.Record
	err error
}

func (s *told) Endpoint(context.Context, string) (endpoint.Record, error) { return s.rec, s.err }

// TestSeats: whom an agent may speak for by what was reported, how long that holds, and that its word counts while
// nothing can be reported.
func TestSeats(t *testing.T) {
	t.Parallel()
	w := rooms.New(t, "estate: 1", directory.Records{})
	is := func(text string) *string { return &text }
	s := &told{rec: endpoint.Record{LastSeen: rooms.Start, Report: endpoint.Report{Machine: "desk-1",
		Contexts: []lineup.Query{{User: is("Mira"), Machine: is("desk-1")}, {User: is("ida"), Host: is("desk-1"),
			Machine: is("thin-7")}}}}}
	seats := fleet.Seats{Room: fleet.New(fleet.Config{Store: s, Present: w.Present, Log: rooms.Quiet, Now: w.Now})}
	agent := &access.Principal{Name: "a", Role: access.Agent, Machine: "desk-1"}
	ask := func(q lineup.Query) bool { return seats.Check(t.Context(), agent, q) == nil }
	mira := lineup.Query{User: is("mira"), Machine: is("DESK-1")}
	for what, c := range map[string]struct {
		q    lineup.Query
		goes bool
	}{
		"who sits there":           {mira, true},
		"nobody":                   {lineup.Query{Machine: is("desk-1")}, true},
		"somebody else":            {lineup.Query{User: is("jonas"), Machine: is("desk-1")}, false},
		"a session on it":          {lineup.Query{User: is("ida"), Host: is("desk-1"), Machine: is("thin-7")}, true},
		"from another place":       {lineup.Query{User: is("ida"), Host: is("desk-1"), Machine: is("thin-8")}, false},
		"of somebody else":         {lineup.Query{User: is("mira"), Host: is("desk-1"), Machine: is("thin-7")}, false},
		"of nobody":                {lineup.Query{Host: is("desk-1"), Machine: is("thin-7")}, false},
		"who has a remote session": {lineup.Query{User: is("ida"), Machine: is("desk-1")}, false},
	} {
		if got := ask(c.q); got != c.goes {
			t.Errorf("%s: %v", what, got)
		}
	}
	if seat, err := seats.Sits(t.Context(), agent, "IDA"); err != nil || seat.User == nil || *seat.User != "ida" {
		t.Error("whoever has any session there prints, as it was reported:", seat, err)
	}
	if _, err := seats.Sits(t.Context(), agent, "jonas"); err == nil {
		t.Error("and nobody else")
	}
	if err := seats.Check(t.Context(), rooms.Who(access.HelpDesk), lineup.Query{User: is("jonas")}); err != nil {
		t.Error("whoever is no agent:", err)
	}
	w.Pass(2*w.Present.View().ReportsEvery() + 4*time.Minute)
	if !ask(mira) {
		t.Error("two reports later it is forgotten")
	}
	w.Pass(2 * time.Minute)
	if ask(mira) {
		t.Error("it is remembered for ever")
	}
	s.err = fault.New(fault.Unknown, "endpoint-unknown", "", "never")
	if ask(mira) {
		t.Error("of a machine that never reported")
	}
	for _, s.err = range []error{fault.New(fault.Unavailable, "database-unavailable", "", "away"), errors.New("odd")} {
		if !ask(mira) {
			t.Error("while nothing can be reported:", s.err)
		}
	}
}
