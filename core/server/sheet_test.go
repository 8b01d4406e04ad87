package server_test

import (
	"strings"
	"testing"
	"time"

	"cirque/core/estate"
	"cirque/core/server"
)

// TestSheet: each queue on a kept server stands as it was found beside what is wanted, and the server in one sentence.
func TestSheet(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
	everybody := server.People{Everyone: true}
	want := func(called string) server.Want {
		return server.Want{Name: called, Queue: called, Comment: "Hall", Driver: estate.Driverless, Devices: []string{"ipp://d/"},
			People: everybody}
	}
	have := func(w server.Want, own bool) server.Found { return server.Found{Own: own, Now: server.Now{Want: w}} }
	otherwise := func(w server.Want) server.Want { w.Comment = "Yard"; return w }
	driven := want("driven")
	driven.Driver, driven.Exact = "m", "Mono 40"
	of := &estate.Server{Name: "ps", Kept: true}
	for says, c := range map[string]struct {
		wants  []server.Want
		points []server.Point
		report *server.Report
		ago    time.Duration
		state  server.State
		says   string
		rows   map[string]server.RowState
	}{
		"never heard of": {[]server.Want{want("a")}, nil, nil, 0, server.Waiting, "cirque enrol token --server ps",
			map[string]server.RowState{"a": server.RowMissing}},
		"nothing leads through it": {nil, nil, &server.Report{}, 0, server.AsWanted, "no queue of the estate leads through it",
			map[string]server.RowState{}},
		"as wanted, with one of somebody else's": {[]server.Want{want("a")}, nil,
			&server.Report{Found: []server.Found{have(want("a"), true), have(want("z"), false)}}, 0, server.AsWanted,
			"it has 1 queue as wanted", map[string]server.RowState{"a": server.RowAsWanted, "z": server.RowOther}},
		"behind": {[]server.Want{want("a"), want("b"), want("c")}, nil, &server.Report{Found: []server.Found{
			have(otherwise(want("a")), true), have(want("c"), false), have(want("d"), true)}}, 0, server.Behind,
			"not as wanted yet: a, b, c and 1 more", map[string]server.RowState{"a": server.RowDiffers, "b": server.RowMissing,
				"c": server.RowInTheWay, "d": server.RowExtra}},
		"a step fails, a driver is not to be had, one is in the way": {[]server.Want{want("a"), driven, want("c")}, nil,
			&server.Report{Found: []server.Found{have(want("c"), false)}, Failures: []server.Failure{
				{Name: "a", Step: server.Add, Says: "the disk is full"}, {Exact: "Mono 40", Step: server.GetDriver, Says: "no"},
				{Name: "c", Step: server.Add, Says: "it is there"}}}, 0, server.Failing, "2 queues of 3 cannot be brought there",
			map[string]server.RowState{"a": server.RowFailing, "driven": server.RowFailing, "c": server.RowInTheWay}},
		"its spooler cannot be read": {[]server.Want{want("a")}, nil, &server.Report{Unread: "no socket", Found: []server.Found{
			have(want("a"), true)}}, 0, server.Failing, "its spooler cannot be read: no socket",
			map[string]server.RowState{"a": server.RowAsWanted}},
		"silent": {[]server.Want{want("a")}, nil, &server.Report{Found: []server.Found{have(want("a"), true)}}, time.Hour,
			server.Silent, "last heard of 1 h ago", map[string]server.RowState{"a": server.RowAsWanted}},
		"a queue that it cannot have": {nil, []server.Point{{Kind: "name", Queue: "a", Name: "a b", Says: "no space"}},
			&server.Report{}, 0, server.AsWanted, "can be had there", map[string]server.RowState{"a b": server.RowMissing}},
	} {
		var r *server.Record
		if c.report != nil {
			r = &server.Record{LastSeen: now.Add(-c.ago), Report: *c.report}
		}
		s := server.NewSheet(of, server.Plan{Wants: c.wants, Points: c.points}, r, now, nil, time.Minute)
		if s.State != c.state || !strings.Contains(s.Says, c.says) || len(s.Rows) != len(c.rows) {
			t.Errorf("%s: %s, %q, %d rows", says, s.State, s.Says, len(s.Rows))
		}
		right := 0
		for _, x := range s.Rows {
			if x.State != c.rows[x.Name] {
				t.Errorf("%s: %s is %s, not %s", says, x.Name, x.State, c.rows[x.Name])
			}
			if x.State == server.RowAsWanted {
				right++
			}
			if (x.Says == "") != (x.State == server.RowAsWanted || x.State == server.RowMissing && len(x.Points) == 0 ||
				x.State == server.RowOther || x.State == server.RowExtra) {
				t.Errorf("%s: %s is %s and says %q", says, x.Name, x.State, x.Says)
			}
		}
		if s.Right != right || s.Points != len(c.points) {
			t.Errorf("%s: %d right, %d points", says, s.Right, s.Points)
		}
	}
}
