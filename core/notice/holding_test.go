package notice

import (
	"testing"
	"time"

	"cirque/core/estate"
)

func TestHolding(t *testing.T) {
	t.Parallel()
	list := []estate.Notice{{Name: "always"}, {Name: "november", Until: "2026-11-30"},
		{Name: "morning", Until: "2026-11-30T12:00:00+01:00"}}
	for at, want := range map[string]int{"2026-11-30T10:59:59Z": 3, "2026-11-30T11:00:00Z": 2, "2026-12-01T00:00:00Z": 1} {
		when, err := time.Parse(time.RFC3339, at)
		if err != nil {
			t.Fatal(err)
		}
		if got := Holding(list, when); len(got) != want || got[0].Name != "always" {
			t.Errorf("at %s: %+v", at, got)
		}
	}
}
