package driver_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"cirque/core/driver"
)

func TestCompare(t *testing.T) {
	for _, c := range []struct {
		a, b string
		at   int
		says string
	}{
		{"Tarnhelm Label 2", "Tarnhelm Label 2", 0, "they are equal, letter by letter"},
		{"Tarnhelm Label-2", "Tarnhelm Label 2", 15, "they differ at letter 15: a hyphen against a space"},
		{"Slip 3 v1.4", "Slip 3  v1.4", 8, "they differ at letter 8: a space more in the second"},
		{"Mono 40 pcl6", "Mono 40 PCL6", 9, "they differ at letter 9: capital against small letter, “pcl” against “PCL”"},
		{"Mono 40 ", "Mono 40", 8, "they differ at letter 8: a space more in the first"},
		{"Mono\u00a040", "Mono 40", 5, "they differ at letter 5: a no-break space against a space"},
		{"A/B", `A\B`, 2, "they differ at letter 2: a slash against a backslash"},
		{"ab-cd-e", "ab cd e", 3, "they differ at letter 3: a hyphen against a space, and at 1 more place"},
		{"", "x", 1, "they differ at letter 1: “x” more in the second"},
		{"Gerät", "Gerat", 4, "they differ at letter 4: “ä” against “a”"},
	} {
		got := driver.Compare(c.a, c.b)
		if got.At != c.at || got.Says != c.says || got.Equal != (c.a == c.b) {
			t.Errorf("%q and %q: %d %q, want %d %q", c.a, c.b, got.At, got.Says, c.at, c.says)
		}
	}
}

// TestCompareParts: put together, the pieces of each side are the names; the pieces that are the same are the same.
func TestCompareParts(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	letters := []rune("ab -ä.")
	name := func() string {
		out := make([]rune, r.IntN(12))
		for i := range out {
			out[i] = letters[r.IntN(len(letters))]
		}
		return string(out)
	}
	for range 3000 {
		a, b := name(), name()
		var x, y strings.Builder
		for _, p := range driver.Compare(a, b).Parts {
			x.WriteString(p.A)
			y.WriteString(p.B)
			if p.Same != (p.A == p.B) {
				t.Fatalf("%q and %q: the piece %+v", a, b, p)
			}
		}
		if x.String() != a || y.String() != b {
			t.Fatalf("%q and %q come back as %q and %q", a, b, x.String(), y.String())
		}
	}
}

func TestNearest(t *testing.T) {
	known := []string{"Skerrymark Mono 40 PCL6", "Skerrymark Mono 60 PCL6", "Tarnhelm Slip 3  v1.4", "Tarnhelm Label 2"}
	for typed, want := range map[string]string{
		"Tarnhelm Label 2":        "", // it is exact
		"Tarnhelm Label-2":        "Tarnhelm Label 2",
		"tarnhelm slip 3 V1.4":    "Tarnhelm Slip 3  v1.4",
		"Skerrymark Mono 40 PLC6": "Skerrymark Mono 40 PCL6",
		"Skerymark Mono 60 PCL6":  "Skerrymark Mono 60 PCL6",
		"Northreach Wide 90":      "",
		"":                        "",
	} {
		if got := driver.Nearest(typed, known); got != want {
			t.Errorf("%q: %q, want %q", typed, got, want)
		}
	}
}

func TestVisible(t *testing.T) {
	if got := driver.Visible("a b\tc\u00a0\u200b"); got != "a·b→c[U+00A0][U+200B]" {
		t.Error(got)
	}
}
