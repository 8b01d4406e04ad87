package continuity

import (
	"strings"
	"testing"
	"time"

	"cirque/core/endpoint"
	"cirque/core/lineup"
	"cirque/core/live"
	"cirque/core/path"
)

func TestMoveSays(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	at := func(d time.Duration) *time.Time { t := now.Add(d); return &t }
	none, some := 0, 5
	for want, m := range map[string]Move{
		"3 endpoints of 7 still led to it at the last report; what waits on it is not known": {Note: live.Note{Duty: live.Down}, Endpoints: 7, Left: 3},
		"everybody has moved off it; nothing waits on it; back in 1 h 59 min":                {Note: live.Note{Duty: live.Drained, Until: at(119 * time.Minute)}, Endpoints: 7, Waiting: &none},
		"everybody has moved off it; 5 jobs wait on it; back in 2 h":                         {Note: live.Note{Duty: live.Drained, Until: at(2 * time.Hour)}, Waiting: &some},
		"it takes 15 % of its people so far, and all of them from 10:05 UTC on":              {Note: live.Note{Duty: live.Serving, Share: 0.15, Until: at(5 * time.Minute)}},
	} {
		if got := m.Sentence(now); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

func TestWhyStuck(t *testing.T) {
	t.Parallel()
	leads := func(w endpoint.Want) bool { return strings.Contains(w.URI, "192.0.2.1/") }
	own := func(queue, uri string) endpoint.Installed {
		return endpoint.Installed{Want: endpoint.Want{Queue: queue, User: "mira", URI: uri}, Own: true}
	}
	l := []lineup.Lineup{lineupFor("mira", entry("solo", "user", false))}
	for want, r := range map[string]endpoint.Report{
		"no other path serves solo": {Installed: []endpoint.Installed{own("solo", "ipp://192.0.2.1/solo"),
			own("else", "ipp://192.0.2.9/")}},
		"it has not said yet that it moved": {Installed: []endpoint.Installed{own("hall", "ipp://192.0.2.1/hall")}},
		"change of hall failed: no": {Installed: []endpoint.Installed{own("hall", "ipp://192.0.2.1/hall")},
			Failures: []endpoint.Failure{{Queue: "hall", User: "Mira", Step: "change", Says: "no"}}},
	} {
		if _, got := WhyStuck(endpoint.Record{Report: r}, l, leads, endpoint.Behind); !strings.HasPrefix(got, want) {
			t.Errorf("%q, want %q", got, want)
		}
	}
	if kind, got := WhyStuck(endpoint.Record{}, nil, leads, endpoint.Silent); kind != StuckSilent || !strings.Contains(got,
		"said nothing since") {
		t.Error(got)
	}
}

func lineupFor(user string, entries ...lineup.Entry) lineup.Lineup {
	l := lineup.Lineup{Entries: entries}
	l.Context.User = &user
	return l
}

func entry(queue, scope string, isDefault bool) lineup.Entry {
	return lineup.Entry{Queue: queue, Effect: lineup.Placed, Scope: scope, Default: isDefault, IfRemoved: "restore",
		Path: lineup.Taken{Through: path.Device, URI: "ipp://192.0.2.1/" + queue}, Driver: "driverless"}
}
