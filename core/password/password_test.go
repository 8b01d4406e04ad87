package password

import (
	"bytes"
	"testing"
)

func TestWeak(t *testing.T) {
	t.Parallel()
	for p, weak := range map[string]bool{
		"password1234": true, "Password2026!": true, "!!dragon!!!!": true, "qwertyuiopas": true, "123456789012": true,
		"aaaaaaaaaaaa": true, "abcabcabcabca": true, "Hunter2Hunter2": true, "zyxwvutsrqpo": true, "1qaz2wsx3edc": true,
		"harbour-master-1": true, "cirque-2026!!": true, "            ": true, "": true,
		"correct horse battery": false, "wet slate over the quay": false, "7h!kQz0-pLm2xV": false,
		"harbour-master keeps nine gulls": false,
		"привет, длинный пароль":          false, "dragon of the inner bay": false,
	} {
		if why := Weak("harbour-master", p); (why != "") != weak {
			t.Errorf("%q: %q", p, why)
		}
	}
	if Weak("a", "aside from that") != "" {
		t.Error("a short name counts")
	}
}

// TestCommonInOrder: what is searched has to be sorted.
func TestCommonInOrder(t *testing.T) {
	t.Parallel()
	if len(common)%prefix != 0 || len(common) < 10_000*prefix {
		t.Fatal(len(common))
	}
	for i := prefix; i < len(common); i += prefix {
		if bytes.Compare(common[i-prefix:i], common[i:i+prefix]) > 0 {
			t.Fatalf("out of order at %d", i)
		}
	}
}

func FuzzWeak(f *testing.F) {
	f.Add("mira", "password1234")
	f.Fuzz(func(_ *testing.T, account, p string) { _ = Weak(account, p) })
}
