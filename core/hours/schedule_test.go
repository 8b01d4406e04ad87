package hours_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"cirque/core/hours"
)

func TestEnds(t *testing.T) {
	t.Parallel()
	for _, row := range []struct {
		until, zone, at string
		over            bool
	}{
		{"", "UTC", "2999-01-01T00:00:00Z", false},
		{"2026-12-31", "UTC", "2026-12-31T23:59:59Z", false},
		{"2026-12-31", "UTC", "2027-01-01T00:00:00Z", true},
		{"2026-12-31", "Europe/Oslo", "2026-12-31T22:59:59Z", false},
		{"2026-12-31", "Europe/Oslo", "2026-12-31T23:00:00Z", true}, // midnight there
		{"2026-12-31T18:00:00+01:00", "UTC", "2026-12-31T16:59:59Z", false},
		{"2026-12-31T18:00:00+01:00", "America/St_Johns", "2026-12-31T17:00:00Z", true},
	} {
		end, err := hours.ParseEnd(row.until)
		if err != nil {
			t.Fatal(err)
		}
		at, err := time.Parse(time.RFC3339, row.at)
		if err != nil {
			t.Fatal(err)
		}
		z := zone(t, row.zone)
		if got := end.Over(hours.At(at, z)); got != row.over {
			t.Errorf("%q at %s in %s: over %v", row.until, row.at, row.zone, got)
		}
		if from, ok := end.In(z); ok != end.Some() || ok && !at.Before(from) != row.over {
			t.Errorf("%q in %s: over from %s, and at %s it is %v", row.until, row.zone, from, row.at, row.over)
		}
	}
	for _, bad := range []string{"2026-02-30", "31.12.2026", "tomorrow", "2026-12-31T18:00:00"} {
		if _, err := hours.ParseEnd(bad); err == nil || !strings.Contains(err.Error(), "; write the last day") {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

// TestScheduleEdges holds the edges of windows with an end against a walk minute by minute.
func TestScheduleEdges(t *testing.T) {
	t.Parallel()
	rnd := rand.New(rand.NewPCG(3, 4))
	pick := func(list ...string) string { return list[rnd.IntN(len(list))] }
	ended := 0
	for range 60 {
		z := zone(t, pick("UTC", "Europe/Oslo", "Australia/Lord_Howe"))
		at := time.Date(2026, 10, 22, 12, 17, 30, 0, time.UTC)
		end, err := hours.ParseEnd(pick("", "2026-10-21", "2026-10-22", "2026-10-25", "2026-10-26T12:30:00Z",
			"2026-10-24T09:00:00+02:00", "2027-01-01"))
		if err != nil {
			t.Fatal(err)
		}
		s := hours.Schedule{End: end}
		for range rnd.IntN(3) {
			w, err := hours.Parse(nil, pick("00:00", "08:00", "18:00"), pick("00:00", "09:00", "12:30"))
			if err != nil {
				t.Fatal(err)
			}
			s.Week = append(s.Week, w)
		}
		until := at.Add(7 * 24 * time.Hour)
		want, got := walked(s, at, until, z), s.Edges(at, until, z)
		for i := range max(len(got), len(want)) {
			if i >= len(got) || i >= len(want) || !got[i].Equal(want[i]) {
				t.Fatalf("%+v in %s: edges %v, want %v", s, z, got, want)
			}
		}
		if last, ok := end.In(z); ok && len(got) > 0 && got[len(got)-1].Equal(last) {
			ended++
		}
	}
	if ended < 10 {
		t.Errorf("only %d schedules ended while they were open: too dull", ended)
	}
}
