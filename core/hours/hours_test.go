package hours_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"
	_ "time/tzdata"

	"cirque/core/hours"
)

func zone(t *testing.T, name string) *time.Location {
	t.Helper()
	z, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return z
}

func TestOpen(t *testing.T) {
	t.Parallel()
	oslo := zone(t, "Europe/Oslo")
	for _, row := range []struct {
		days, from, to, at string
		open               bool
	}{
		{"mon tue wed thu fri", "06:30", "19:00", "2026-11-23T06:30:00+01:00", true},
		{"mon tue wed thu fri", "06:30", "19:00", "2026-11-23T06:29:59+01:00", false},
		{"mon tue wed thu fri", "06:30", "19:00", "2026-11-23T18:59:59+01:00", true},
		{"mon tue wed thu fri", "06:30", "19:00", "2026-11-23T19:00:00+01:00", false},
		{"mon tue wed thu fri", "06:30", "19:00", "2026-11-22T12:00:00+01:00", false},
		{"fri", "22:00", "02:00", "2026-11-28T01:59:00+01:00", true}, // Saturday morning belongs to Friday
		{"fri", "22:00", "02:00", "2026-11-27T01:59:00+01:00", false},
		{"fri", "08:00", "08:00", "2026-11-28T07:59:00+01:00", true}, // a whole day
		{"", "00:00", "00:00", "2026-11-28T23:59:59+01:00", true},
		{"", "08:00", "12:00", "2026-11-28T08:30:00Z", true}, // 09:30 in Oslo
		{"", "08:00", "12:00", "2026-11-28T11:30:00Z", false},
	} {
		w, err := hours.Parse(strings.Fields(row.days), row.from, row.to)
		if err != nil {
			t.Fatal(err)
		}
		at, err := time.Parse(time.RFC3339, row.at)
		if err != nil {
			t.Fatal(err)
		}
		if got := (hours.Week{w}).Open(hours.At(at, oslo)); got != row.open {
			t.Errorf("%s %s-%s at %s: open %v", row.days, row.from, row.to, row.at, got)
		}
	}
}

func TestParseRefuses(t *testing.T) {
	t.Parallel()
	for _, row := range []struct{ days, from, to, says string }{
		{"monday", "08:00", "12:00", `"monday" is no day`},
		{"mon", "8:00", "12:00", `"8:00" is no time of a day`},
		{"mon", "08:60", "12:00", `"08:60" is no time of a day`},
		{"mon", "08:00", "24:00", `write "00:00" for midnight`},
		{"mon", "-1:00", "12:00", `is no time of a day`},
	} {
		if _, err := hours.Parse(strings.Fields(row.days), row.from, row.to); err == nil ||
			!strings.Contains(err.Error(), row.says) {
			t.Errorf("%v: %v", row, err)
		}
	}
}

// TestProblems: all that is wrong with a window is told at once, each once.
func TestProblems(t *testing.T) {
	t.Parallel()
	for want, w := range map[int][]string{3: {"monday", "6", "25:00"}, 2: {"monday", "6", "6"}, 1: {"mon", "6", ""},
		0: {"mon", "06:00", "07:00"}} {
		if got := hours.Problems(w[:1], w[1], w[2]); len(got) != want {
			t.Errorf("%v: %v", w, got)
		}
	}
}

// walked finds the edges of a schedule minute by minute.
func walked(s hours.Schedule, at, until time.Time, z *time.Location) (edges []time.Time) {
	open := s.Open(hours.At(at, z))
	for m := at.Truncate(time.Minute).Add(time.Minute); !m.After(until); m = m.Add(time.Minute) {
		if now := s.Open(hours.At(m, z)); now != open {
			edges, open = append(edges, m), now
		}
	}
	return edges
}

// TestEdges holds NextEdge against a walk minute by minute, over weeks in which clocks change.
func TestEdges(t *testing.T) {
	t.Parallel()
	zones := []*time.Location{time.UTC, zone(t, "Europe/Oslo"), zone(t, "Australia/Lord_Howe"),
		zone(t, "America/St_Johns")}
	starts := []time.Time{
		time.Date(2026, 10, 22, 12, 17, 30, 0, time.UTC), time.Date(2027, 3, 25, 3, 0, 0, 0, time.UTC), time.Date(2026, 3, 5,
			0, 0, 0, 0, time.UTC),
		time.Date(2026, 4, 1, 0, 0, 0, 0, time.UTC), time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC),
	}
	rnd := rand.New(rand.NewPCG(1, 2))
	pick := func(list []string) string { return list[rnd.IntN(len(list))] }
	clocks := []string{"00:00", "01:59", "02:00", "02:30", "03:00", "08:00", "12:00", "23:59"}
	found := 0
	for range 60 {
		var w hours.Week
		for range 1 + rnd.IntN(3) {
			var days []string
			for range rnd.IntN(3) {
				days = append(days, pick(hours.Days()))
			}
			x, err := hours.Parse(days, pick(clocks), pick(clocks))
			if err != nil {
				t.Fatal(err)
			}
			w = append(w, x)
		}
		z, at := zones[rnd.IntN(len(zones))], starts[rnd.IntN(len(starts))]
		until := at.Add(7 * 24 * time.Hour)
		s := hours.Schedule{Week: w}
		want, got := walked(s, at, until, z), s.Edges(at, until, z)
		if len(got) != len(want) {
			t.Fatalf("%v in %s from %s: %d edges %v, want %d %v", w, z, at, len(got), got, len(want), want)
		}
		for i := range got {
			if !got[i].Equal(want[i]) {
				t.Fatalf("edge %d is %s, want %s", i, got[i], want[i])
			}
		}
		found += len(got)
	}
	if found < 100 {
		t.Errorf("only %d edges in all: too dull", found)
	}
}
