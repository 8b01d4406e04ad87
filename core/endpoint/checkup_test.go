package endpoint

import (
	"strings"
	"testing"
	"time"

	"cirque/core/lineup"
)

func TestLadder(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	later, place := now.Add(time.Hour), "ardholm"
	good := func() Facts {
		l := lineupFor("mira", entry("hall", "user", true))
		l.Context.Location = &place
		return Facts{Record: &Record{LastSeen: now, Report: Report{Machine: "desk-1"}}, Every: 5 * time.Minute,
			Enrolled: &later, Connected: true, Lineups: []lineup.Lineup{l}, Now: now}
	}
	if checks := ServiceChecks(good()); (Checkup{Checks: checks}).First() != "" || len(checks) != 6 {
		t.Errorf("%+v", checks)
	}
	for says, c := range map[string]struct {
		spoil func(*Facts)
		want  string
	}{
		"never there": {func(f *Facts) { f.Record = nil }, "never reported"},
		"silent": {func(f *Facts) { f.Connected, f.Record.LastSeen = false, now.Add(-time.Hour) },
			"last heard of on 2026-11-23 09:00 UTC"},
		"ended":           {func(f *Facts) { f.Enrolled = &now }, "certificate ended"},
		"nobody":          {func(f *Facts) { f.Enrolled = nil }, "neither a certificate nor a token"},
		"unknown person":  {func(f *Facts) { f.People = []string{"no directory here knows x"} }, "no directory here knows x"},
		"nothing granted": {func(f *Facts) { f.Lineups[0].Entries = nil }, "no grant places a queue"},
		"a driver": {func(f *Facts) {
			f.Record.Report.Failures = []Failure{{Queue: "hall", Step: "add", Cause: CauseDriver, Says: "none fits"}}
		}, "add hall: none fits"},
		"drift":    {func(f *Facts) { f.Drift = []Difference{{Queue: "hall", Kind: "missing"}} }, "hall: missing"},
		"stranded": {func(f *Facts) { f.Lineups[0].Entries[0].Stranded = true }, "no path of hall"},
	} {
		f := good()
		c.spoil(&f)
		checks := ServiceChecks(f)
		if got := (Checkup{Checks: checks}).First(); !strings.Contains(got, c.want) {
			t.Errorf("%s: %q", says, got)
		}
		for _, r := range checks {
			if lacks := strings.Contains(r.Fix, "cirque driver add"); lacks != strings.Contains(r.Says, "none fits") {
				t.Errorf("%s: %+v: a driver is the fix: %v", says, r, lacks)
			}
			if r.Result == No && r.Fix == "" || r.Says == "" {
				t.Errorf("%s: %+v says nothing, or how to mend nothing", says, r)
			}
		}
	}
}
