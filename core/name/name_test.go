package name

import (
	"strings"
	"testing"
	"unicode"
)

// TestFoldIsEqualFold holds the law over every rune: two are one exactly when strings.EqualFold says so.
func TestFoldIsEqualFold(t *testing.T) {
	t.Parallel()
	byFold := map[string]rune{}
	for r := rune(0); r <= unicode.MaxRune; r++ {
		if r >= 0xd800 && r < 0xe000 {
			continue
		}
		s, f := string(r), Fold(string(r))
		if !strings.EqualFold(s, f) || Fold(f) != f {
			t.Fatalf("%U folds to %q, then %q", r, f, Fold(f))
		}
		if other, ok := byFold[f]; ok && !strings.EqualFold(string(other), s) {
			t.Fatalf("%U and %U fold alike", r, other)
		}
		byFold[f] = r
		for x := unicode.SimpleFold(r); x != r; x = unicode.SimpleFold(x) {
			if Fold(string(x)) != f {
				t.Fatalf("%U and %U fold apart", r, x)
			}
		}
	}
}

func TestFold(t *testing.T) {
	t.Parallel()
	for in, want := range map[string]string{"Mira.Solvang": "mira.solvang", "STRASSE": "strasse", "Straße": "straße",
		"ÅSE": "åse", "ΣΊΣΥΦΟΣ": "σίσυφοσ", "\u212aelvin": "kelvin", "plain": "plain", "": ""} {
		if got := Fold(in); got != want {
			t.Errorf("Fold(%q) is %q, want %q", in, got, want)
		}
	}
	if Fold("ß") == Fold("ss") || Fold("İ") == Fold("i") {
		t.Error("that is full folding")
	}
}

func TestValid(t *testing.T) {
	t.Parallel()
	for s, want := range map[string]bool{"": false, "Anna Rygh": true, "a\tb": false, "a\x00": false, "\u0085": false,
		"ferry/clerks": true, strings.Repeat("x", 257): false, "\xff": false} {
		if Valid(s) != want {
			t.Errorf("Valid(%q) is %v", s, !want)
		}
	}
	for s, want := range map[string]bool{"staff": true, "staff/harbour": true, `sea\/land/x`: true, "": false, "/a": false,
		"a/": false, "a//b": false, "a/\x01": false, "/": false, `\/`: true} {
		if ValidUnit(s) != want {
			t.Errorf("ValidUnit(%q) is %v", s, !want)
		}
	}
	for s, want := range map[string]string{"a/b/c": "a/b", `a/b\/c`: "a", "a": "-", `a\/b`: "-"} {
		got, ok := UnitParent(s)
		if !ok {
			got = "-"
		}
		if got != want {
			t.Errorf("UnitParent(%q) is %q, want %q", s, got, want)
		}
	}
}
