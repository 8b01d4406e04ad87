package endpoint

import (
	"strings"
	"testing"
	"time"

	"cirque/core/lineup"
	"cirque/core/live"
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
	leads := func(w Want) bool { return strings.Contains(w.URI, "192.0.2.1/") }
	own := func(queue, uri string) Installed {
		return Installed{Want: Want{Queue: queue, User: "mira", URI: uri}, Own: true}
	}
	l := []lineup.Lineup{lineupFor("mira", entry("solo", "user", false))}
	for want, r := range map[string]Report{
		"no other path serves solo": {Installed: []Installed{own("solo", "ipp://192.0.2.1/solo"),
			own("else", "ipp://192.0.2.9/")}},
		"it has not said yet that it moved": {Installed: []Installed{own("hall", "ipp://192.0.2.1/hall")}},
		"change of hall failed: no": {Installed: []Installed{own("hall", "ipp://192.0.2.1/hall")},
			Failures: []Failure{{Queue: "hall", User: "Mira", Step: "change", Says: "no"}}},
	} {
		if got := WhyStuck(Record{Report: r}, l, leads, Behind); !strings.HasPrefix(got, want) {
			t.Errorf("%q, want %q", got, want)
		}
	}
	if got := WhyStuck(Record{}, nil, leads, Silent); !strings.Contains(got, "said nothing since") {
		t.Error(got)
	}
}
