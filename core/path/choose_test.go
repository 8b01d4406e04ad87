package path

import (
	"fmt"
	"testing"

	"cirque/core/estate"
)

var four = []Member{{Server: "ps-1"}, {Server: "ps-2"}, {Server: "ps-3"}, {Server: "ps-4"}}

func choose(style estate.Style, who string, down ...int) (int, bool) {
	return Choose(style, four, SpreadBy(who, "", ""), func(i int) bool {
		for _, d := range down {
			if d == i {
				return false
			}
		}
		return true
	})
}

func TestStandby(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		down []int
		want int
		ok   bool
	}{{nil, 0, true}, {[]int{0}, 1, true}, {[]int{0, 1, 2}, 3, true}, {[]int{0, 1, 2, 3}, 0, false}} {
		if got, ok := choose(estate.Standby, "mira", c.down...); got != c.want || ok != c.ok {
			t.Errorf("with %v down: %d %v", c.down, got, ok)
		}
	}
}

// TestSpread: people spread evenly; when a member leaves only its own people move; when it returns they come back.
func TestSpread(t *testing.T) {
	t.Parallel()
	const people = 4000
	n := map[int]int{}
	for i := range people {
		who := fmt.Sprintf("person-%d", i)
		before, _ := choose(estate.Spread, who)
		n[before]++
		for gone := range four {
			after, ok := choose(estate.Spread, who, gone)
			if !ok || gone == after || gone != before && after != before {
				t.Fatalf("%s moves from %d to %d when %d leaves", who, before, after, gone)
			}
		}
	}
	for i := range four {
		if n[i] < people/5 || n[i] > people*3/10 {
			t.Errorf("uneven: %v", n)
		}
	}
	if got, ok := choose(estate.Spread, "mira", 0, 1, 2, 3); ok || got != 0 {
		t.Errorf("stranded: %d %v", got, ok)
	}
}

// TestAdmits: a share admits about its part of the people, and growing never turns anybody away.
func TestAdmits(t *testing.T) {
	t.Parallel()
	const people = 4000
	for _, share := range []float64{0.05, 0.5, 0.95, 1} {
		n := 0
		for i := range people {
			who := SpreadBy(fmt.Sprintf("person-%d", i), "", "")
			if who.Admits("ps-1", share) {
				n++
			} else if who.Admits("ps-1", share/2) {
				t.Fatal("one of a smaller share is not among a larger one's")
			}
		}
		if want := share * people; float64(n) < want-150 || float64(n) > want+150 {
			t.Errorf("a share of %v admits %d of %d", share, n, people)
		}
	}
}

// TestScore pins the score: first 8 bytes, big-endian, of SHA-256(member, 0x00, key), worked out with another program
// (printf 'ps-1\0user:mira.solvang' | sha256sum).
func TestScore(t *testing.T) {
	t.Parallel()
	if got := fmt.Sprintf("%016x", SpreadBy("mira.solvang", "desk", "10.0.0.1").Score("ps-1")); got != "51046965da89bf0f" {
		t.Error(got)
	}
	if SpreadBy("", "desk", "10.0.0.1") != (Spreader{"machine:desk"}) || SpreadBy("", "",
		"10.0.0.1") != (Spreader{"address:10.0.0.1"}) {
		t.Error("keys")
	}
}
