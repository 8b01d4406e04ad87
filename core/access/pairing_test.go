package access

import (
	"strings"
	"testing"
	"time"
)

// TestPairCode: the code is the same on both sides where they agree, and another where anything differs; nothing of one
// field can be taken for a part of the next.
func TestPairCode(t *testing.T) {
	t.Parallel()
	base := func() string { return PairCode("desk-1", []byte("request"), "AB12", "a", "b") }
	if got := PairCode("desk-1", []byte("request"), "ab12", "a", "b"); got != base() {
		t.Errorf("the case of a fingerprint counts: %s, %s", got, base())
	}
	for what, other := range map[string]string{
		"another machine":       PairCode("desk-2", []byte("request"), "ab12", "a", "b"),
		"another key":           PairCode("desk-1", []byte("reqvest"), "ab12", "a", "b"),
		"another authority":     PairCode("desk-1", []byte("request"), "ab13", "a", "b"),
		"another of its nonces": PairCode("desk-1", []byte("request"), "ab12", "c", "b"),
		"another of ours":       PairCode("desk-1", []byte("request"), "ab12", "a", "c"),
		"fields that are moved": PairCode("desk-1r", []byte("equest"), "ab12", "a", "b"),
		"nonces that are moved": PairCode("desk-1", []byte("request"), "ab12", "ab", ""),
	} {
		if other == base() {
			t.Errorf("%s has the same code", what)
		}
	}
	// Worked out by hand, from the description: a version of either side has to agree with that of the other.
	if got := base(); got != "T3WDK6Y0" {
		t.Errorf("%s", got)
	}
}

// TestReadCode: what people type is read as they mean it.
func TestReadCode(t *testing.T) {
	t.Parallel()
	for typed, want := range map[string]string{
		"K7QM3RTD": "K7QM3RTD", "k7qm-3rtd": "K7QM3RTD", " K7QM 3RTD ": "K7QM3RTD", "k7qm–3rtd": "K7QM3RTD",
		"IlO0-1111": "11001111", "": "", "K7QM3RT": "", "K7QM3RTDX": "", "K7QM3RTU": "", "K7QM3RT!": "", "ｋ7QM3RTD": "",
	} {
		if got, err := ReadCode(typed); got != want || (err == nil) != (want != "") {
			t.Errorf("%q: %q %v, want %q", typed, got, err, want)
		}
	}
}

func FuzzReadCode(f *testing.F) {
	f.Add("K7QM-3RTD")
	f.Add("ılo0 1111")
	f.Fuzz(func(t *testing.T, typed string) {
		code, err := ReadCode(typed)
		if err != nil {
			return
		}
		if len(code) != 8 || strings.Trim(code, pairAlphabet) != "" {
			t.Fatalf("%q was read as %q", typed, code)
		}
		if again, err := ReadCode(ShownCode(code)); again != code || err != nil {
			t.Fatalf("%q is shown as %q and read as %q (%v)", code, ShownCode(code), again, err)
		}
	})
}

func TestPairingState(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	p := Pairing{EndsAt: at.Add(PairLasts)}
	let, used := p, p
	let.Token, used.Token, used.Used = 7, 7, true
	for _, c := range []struct {
		p    Pairing
		now  time.Time
		want string
	}{
		{p, at, PairWaiting}, {p, p.EndsAt, PairEnded}, {let, at, PairLetIn}, {let, p.EndsAt, PairEnded},
		{used, at, PairEnrolled}, {used, p.EndsAt.Add(time.Hour), PairEnrolled},
	} {
		if got := c.p.StateAt(c.now); got != c.want {
			t.Errorf("%+v at %v: %s, want %s", c.p, c.now, got, c.want)
		}
	}
}
