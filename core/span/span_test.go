package span_test

import (
	"strings"
	"testing"
	"time"

	"cirque/core/span"
)

func TestParse(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]time.Duration{"90s": 90 * time.Second, "5m": 5 * time.Minute, "5min": 5 * time.Minute,
		"1h30m": 90 * time.Minute, "2d": 48 * time.Hour, "1w": 7 * 24 * time.Hour, "1.5h": 90 * time.Minute, "0": 0,
		"250ms": 250 * time.Millisecond, "1 d": 24 * time.Hour} {
		if got, err := span.Parse(text); err != nil || got != want {
			t.Errorf("%q: %v, %v", text, got, err)
		}
	}
	for text, says := range map[string]string{"10": "10 has no unit: write 10s, 10m, 10h or 10d", "": "no length",
		"5q": `"q" in "5q" is no unit`, "h": "is no length of time", "1..5h": "is no length", "-5m": "is no length",
		"9999999999d": "too long", "1h30": "1h30 has no unit: write 30s"} {
		if _, err := span.Parse(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

func TestFormat(t *testing.T) {
	t.Parallel()
	for want, d := range map[string]time.Duration{"0s": 0, "1m30s": 90 * time.Second, "2d": 48 * time.Hour,
		"1d2h": 26 * time.Hour, "55s": 55 * time.Second, "1s500ms": 1500 * time.Millisecond, "-5m": -5 * time.Minute} {
		if got := span.Format(d); got != want {
			t.Errorf("%v: %s, not %s", d, got, want)
		}
	}
}

// FuzzParse: what is read is written so that it is read alike.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"90s", "1h30m", "2d", "1w", "0.5h", "10", "1e9s"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		d, err := span.Parse(text)
		if err != nil {
			return
		}
		if d < 0 {
			t.Fatalf("%q is %v", text, d)
		}
		if again, err := span.Parse(span.Format(d)); err != nil || again != d.Round(time.Millisecond) {
			t.Fatalf("%q is %v, written %s, read %v, %v", text, d, span.Format(d), again, err)
		}
	})
}
