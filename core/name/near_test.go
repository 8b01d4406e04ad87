package name_test

import (
	"slices"
	"strings"
	"testing"

	"cirque/core/name"
)

func TestNear(t *testing.T) {
	t.Parallel()
	known := []string{"mira.solvang", "Mira.Solberg", "ragna.holm", "desk-112", "desk-121", "desk-7", "Åse Lunde"}
	for word, want := range map[string]string{
		"mira.solvnag": "mira.solvang Mira.Solberg", // an exchange is one step
		"mira":         "Mira.Solberg mira.solvang",
		"MIRA.SOLVANG": "Mira.Solberg", // itself is not near
		"desk-113":     "desk-112 desk-121",
		"deks-7":       "desk-7",
		"åse lunda":    "Åse Lunde",
		"nobody.here":  "",
		"d":            "",
		"":             "",
	} {
		if got := strings.Join(name.Near(word, slices.Values(known), 3), " "); got != want {
			t.Errorf("near %q: %q, want %q", word, got, want)
		}
	}
	if got := name.Near("desk", slices.Values(known), 2); len(got) != 2 {
		t.Error("at most two:", got)
	}
}

func FuzzNear(f *testing.F) {
	f.Add("mira.solvang", "mira.solvnag")
	f.Add("", "x")
	f.Fuzz(func(t *testing.T, a, b string) {
		// One is near the other only where the other is near the one, but for beginnings. How far counts as near goes by
		// the length once folded, in which what is no UTF-8 grows.
		ab, ba := name.Near(a, slices.Values([]string{b}), 1), name.Near(b, slices.Values([]string{a}), 1)
		if len(name.Fold(a)) == len(name.Fold(b)) && len(ab) != len(ba) && !strings.Contains(a+b, ".") {
			t.Errorf("%q and %q: %v %v", a, b, ab, ba)
		}
	})
}
