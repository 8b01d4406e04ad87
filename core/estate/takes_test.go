package estate_test

import (
	"fmt"
	"testing"

	"cirque/core/estate"
)

// TestTakes: all of a list, or more than half of over ten, is worth a question; less is not, and a rename is no loss.
func TestTakes(t *testing.T) {
	t.Parallel()
	doc := func(queues, grants int) *estate.Document {
		d := &estate.Document{Estate: estate.Version, Locations: []estate.Location{{Path: "ard"}}}
		for i := range queues {
			d.Queues = append(d.Queues, estate.Queue{Name: fmt.Sprint("q", i)})
		}
		for i := range grants {
			d.Grants = append(d.Grants, estate.Grant{Name: fmt.Sprint("g", i), Effect: estate.Place})
		}
		return d
	}
	renamed := doc(0, 1)
	renamed.Queues = []estate.Queue{{Name: "x", Formerly: []string{"q0"}}}
	nowhere := doc(1, 1)
	nowhere.Locations = nil
	for says, c := range map[string]struct {
		before, after *estate.Document
		want          string
	}{
		"nothing":              {doc(3, 3), doc(3, 3), "[]"},
		"two of three":         {doc(3, 3), doc(1, 3), "[]"},
		"all":                  {doc(3, 3), doc(0, 3), "[all 3 queues]"},
		"the only one":         {doc(1, 1), nowhere, "[the only location]"},
		"half of many":         {doc(12, 0), doc(6, 0), "[]"},
		"more than half":       {doc(12, 11), doc(5, 5), "[7 of 12 queues 6 of 11 grants]"},
		"more than half of 10": {doc(10, 0), doc(1, 0), "[]"},
		"a rename":             {doc(1, 1), renamed, "[]"},
		"from nothing":         {doc(0, 0), doc(5, 5), "[]"},
	} {
		if got := fmt.Sprint(estate.Takes(c.before, c.after)); got != c.want {
			t.Errorf("%s: %s, want %s", says, got, c.want)
		}
	}
}
