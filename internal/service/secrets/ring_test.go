package secrets_test

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/internal/service/secrets"
)

var at = time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)

func states(r secrets.Ring) string {
	var out []string
	for _, k := range r {
		out = append(out, string(k.State))
	}
	return strings.Join(out, " ")
}

// TestRing: a key is prepared once, rotated in, and forgotten when it is not the current one; a ring is read as it was
// written, and a file of before is a ring of one key.
func TestRing(t *testing.T) {
	t.Parallel()
	first := secrets.NewRing(bytes.Repeat([]byte{1}, 32))
	if first.String() != strings.Repeat("01", 32)+"\n" {
		t.Errorf("%q: a service of before cannot read it", first)
	}
	prepared, err := first.Prepared(at)
	if err != nil || states(prepared) != "current next" {
		t.Fatal(states(prepared), err)
	}
	if _, err := prepared.Prepared(at); !fault.Is(err, fault.Conflict) {
		t.Error("a second next key:", err)
	}
	rotated := prepared.Rotated(at)
	if states(rotated) != "current former" || rotated[0].ID() != prepared[1].ID() || rotated[1].ID() != first[0].ID() {
		t.Error(states(rotated))
	}
	twice := rotated.Rotated(at.Add(time.Hour))
	if states(twice) != "current former former" || twice[1].ID() != rotated[0].ID() {
		t.Error(states(twice))
	}
	again, ok := secrets.ParseRing(twice.String())
	if !ok || again.String() != twice.String() {
		t.Errorf("%q, want %q", again, twice)
	}
	if _, err := twice.Forgotten(twice[0].ID()); !fault.Is(err, fault.Conflict) {
		t.Error("the current one is forgotten:", err)
	}
	if _, err := twice.Forgotten("00000000"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
	if r, err := twice.Forgotten(twice[2].ID()); err != nil || states(r) != "current former" || len(twice) != 3 {
		t.Error(states(r), err)
	}
}

// FuzzParseRing: whatever is in the file, what is read as a ring is written so that the same is read again.
func FuzzParseRing(f *testing.F) {
	key := strings.Repeat("ab", 32)
	for _, s := range []string{key, key + "\n" + key + " former 2026-03-02T08:00:00Z\n", key + " next", "", "xx",
		key + " current",
		key + "\n" + key + "\n"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		r, ok := secrets.ParseRing(text)
		if !ok {
			return
		}
		again, ok := secrets.ParseRing(r.String())
		if !ok || again.String() != r.String() || r[0].State != secrets.Current {
			t.Errorf("%q is %q", text, r)
		}
	})
}
