package endpoint

import (
	"strings"
	"testing"
	"time"

	"cirque/core/lineup"
)

// planOf makes a plan of wants written as user/queue=uri.
func planOf(texts ...string) Plan {
	var p Plan
	for _, t := range texts {
		key, uri, _ := strings.Cut(t, "=")
		user, queue, _ := strings.Cut(key, "/")
		p.Wants = append(p.Wants, Want{Queue: queue, User: user, URI: uri, Driver: "driverless"})
	}
	return p
}

func has(p Plan) (out []Installed) {
	for _, w := range p.Wants {
		out = append(out, Installed{Want: w, Own: true})
	}
	return out
}

func TestProve(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	before, after := planOf("mira/hall=a", "mira/old=a", "/wide=a"), planOf("mira/hall=b", "/wide=a", "jonas/new=a")
	failure := func(user, queue string) []Failure {
		return []Failure{{Queue: queue, User: user, Step: "add", Says: "no driver", Since: now}}
	}
	for says, c := range map[string]struct {
		present Plan // what should be there now; that after the change where it is empty
		report  Report
		silent  bool
		want    string
	}{
		"all done": {Plan{}, Report{Installed: has(after)}, false, "changes hall arrived; gains new " +
			"arrived; loses old arrived"},
		"nothing done yet": {Plan{}, Report{Installed: has(before)}, false, "changes hall pending; gains new " +
			"pending; loses old pending"},
		"and it says nothing": {Plan{}, Report{Installed: has(before)}, true, "changes hall silent; gains new " +
			"silent; loses old silent"},
		"one failed, in another's case": {Plan{}, Report{Installed: has(planOf("mira/hall=b", "/wide=a")),
			Failures: failure("Jonas", "new")}, false, "changes hall arrived; gains new failed; loses old arrived"},
		"the person took it off": {Plan{}, Report{Installed: has(planOf("mira/hall=b")),
			Removed: []Key{{"Jonas", "new"}}}, false, "changes hall arrived; gains new away; loses old arrived"},
		"it is there and stopped": {Plan{}, Report{Installed: []Installed{{Want: after.Wants[0], Own: true,
			Halted: true}, {Want: after.Wants[2], Own: true}}}, false, "changes hall failed; gains new arrived; loses " +
			"old arrived"},
		"somebody else's does not count": {Plan{}, Report{Installed: append(has(planOf("mira/hall=b")),
			Installed{Want: after.Wants[2]})}, false, "changes hall arrived; gains new pending; loses old arrived"},
		"a later change took it back": {planOf("mira/old=a"), Report{}, false, "changes hall past; gains new past; " +
			"loses old past"},
		"a later change led it on": {planOf("mira/hall=c", "jonas/new=a"), Report{Installed: has(planOf("mira/hall=c",
			"jonas/new=a"))}, false, "changes hall arrived; gains new arrived; loses old arrived"},
	} {
		present := c.present
		if len(present.Wants) == 0 {
			present = after
		}
		var got []string
		for _, r := range Prove(Expect(before, after), present, Record{LastSeen: now.Add(-time.Minute), Report: c.report},
			c.silent, now) {
			got = append(got, r.Kind+" "+r.Queue+" "+string(r.State))
			if r.Says == "" {
				t.Errorf("%s: %+v says nothing", says, r)
			}
		}
		if strings.Join(got, "; ") != c.want {
			t.Errorf("%s: %s, want %s", says, strings.Join(got, "; "), c.want)
		}
	}
}

// TestExpectBothWays: what a change gives, its reverse takes, and a change that changes nothing asks for nothing.
func TestExpectBothWays(t *testing.T) {
	t.Parallel()
	a, b := planOf("m/x=1", "m/y=1", "/z=1"), planOf("m/x=2", "/z=1", "k/y=1")
	reverse := map[string]string{"gains": "loses", "loses": "gains", "changes": "changes"}
	there, back := map[Key]string{}, map[Key]string{}
	for _, e := range Expect(a, b) {
		there[e.Key] = e.Kind
	}
	for _, e := range Expect(b, a) {
		back[e.Key] = e.Kind
	}
	if len(there) != 3 || len(there) != len(back) {
		t.Fatal(there, back)
	}
	for k, kind := range there {
		if back[k] != reverse[kind] {
			t.Error(k, kind, back[k])
		}
	}
	if e := Expect(a, a); len(e) != 0 {
		t.Error(e)
	}
}

func TestProofSays(t *testing.T) {
	t.Parallel()
	row := func(s Standing, says string) ProofRow { return ProofRow{Machine: "desk-1", State: s, Says: says} }
	for want, p := range map[string]Proof{
		"2 of 4 have arrived; 1 is pending; 1 failed because: no driver; test pages from none": {Revision: 3,
			Rows: []ProofRow{row(Arrived, ""), row(Awaited, ""), row(NotDone, "no driver"), row(Arrived, "")}},
		"it has arrived where it is expected; none of the other 7 endpoints has it; test pages from 1 endpoint": {Queue: "hall", Others: 7,
			Rows: []ProofRow{{Machine: "desk-1", State: Arrived, Tested: &Tested{}}}},
		"0 of 2 have arrived; 2 failed, the first because: x; 1 has it and must not; 2 more machines receive it and have no agent; test pages from none": {Queue: "hall", Absent: 2, Rows: []ProofRow{row(NotDone, "x"), row(NotDone, "x"), row(Surplus, "")}},
		"no endpoint is to have it; the one other endpoint does not have it":                                                                             {Queue: "hall", Others: 1},
		"it asks nothing of any endpoint that has reported":                                                                                              {Revision: 2},
	} {
		tally := NewTally(2)
		for _, r := range p.Rows {
			tally.Add(r)
		}
		got := p.Close(tally, nil)
		if got.Says != want {
			t.Errorf("%q, want %q", got.Says, want)
		}
		if len(got.Rows) > 2 || len(got.Rows) > 0 && got.Rows[0].State == Arrived && len(p.Rows) > 1 {
			t.Errorf("what has not arrived does not come first: %+v", got.Rows)
		}
	}
}

func TestDriversHere(t *testing.T) {
	t.Parallel()
	want := func(queue, exact string) Want { return Want{Queue: queue, Driver: "d", Exact: exact} }
	p := Plan{Wants: []Want{want("a", "Used"), want("b", "Staged"), want("c", "Missing"), want("e", "Half"),
		{Queue: "free", Driver: "driverless"}}}
	r := Report{Machine: "desk-1", Installed: []Installed{{Want: want("a", "Used"), Own: true},
		{Want: want("hand", "Foreign")}, {Want: Want{Queue: "free", Driver: "driverless"}, Own: true}},
		Failures: []Failure{{Queue: "c", Step: "add", Says: "not here"}},
		Staged: []Staged{{Exact: "Staged", Whole: true}, {Exact: "Spare", Whole: true}, {Exact: "Half"}, {Exact: "Used",
			Whole: true, Package: "abc"}}}
	got := map[string]DriverHere{}
	for _, d := range DriversHere(p, r) {
		got[d.Exact] = d
	}
	for exact, state := range map[string]DriverState{"Used": DriverUsed, "Staged": DriverStaged, "Missing": DriverWanted,
		"Half": DriverWanted, "Spare": DriverSpare, "Foreign": DriverForeign} {
		if got[exact].State != state {
			t.Errorf("%s: %s, want %s", exact, got[exact].State, state)
		}
	}
	if len(got) != 6 || got["Missing"].Says != "not here" || got["Half"].Says == "" || got["Used"].Package != "abc" ||
		len(got["Staged"].Queues) != 1 {
		t.Errorf("%+v", got)
	}
}

func TestTrialWant(t *testing.T) {
	t.Parallel()
	w := Want{Queue: strings.Repeat("q", 63), User: "mira", URI: "ipp://192.0.2.1/", Driver: "mono", Exact: "Mono 40",
		Options: map[string]any{"sides": "one-sided"}, Restore: true}
	for try, exact := range map[string]string{TryPlain: "", TryDriverless: "", "Mono 40 PS": "Mono 40 PS"} {
		got := w.Trial(try)
		if got.Exact != exact || got.URI != w.URI || got.User != w.User || len(got.Queue) > 63 || got.Queue == w.Queue ||
			got.Options != nil || got.Restore || (exact == "") != (got.Driver == "driverless") {
			t.Errorf("%s: %+v", try, got)
		}
	}
	// Where an agent dies in the middle of a trial, the queue is one that nobody wants, and goes.
	steps, _ := Steps(PlanFor([]lineup.Lineup{}), []Installed{{Want: w.Trial(TryPlain), Own: true}}, nil, Memory{})
	if len(steps) != 1 || steps[0].Do != "remove" {
		t.Errorf("%+v", steps)
	}
}
