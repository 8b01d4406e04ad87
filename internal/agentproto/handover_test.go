package agentproto

import (
	"bytes"
	"crypto/ed25519"
	"strings"
	"testing"
)

// TestHandedOver: a key is taken for what comes after another where that one says so, and by nobody else's word.
func TestHandedOver(t *testing.T) {
	t.Parallel()
	key := func(b byte) ed25519.PrivateKey {
		return ed25519.NewKeyFromSeed(bytes.Repeat([]byte{b}, ed25519.SeedSize))
	}
	public := func(b byte) ed25519.PublicKey { return key(b).Public().(ed25519.PublicKey) }
	older, old, other := HandOver(key(1), public(3)), HandOver(key(2), public(3)), HandOver(key(4), public(3))
	for _, c := range []struct {
		known, next byte
		header      string
		want        bool
	}{
		{2, 3, old, true}, {1, 3, old + ", " + older, true}, {2, 3, older + "," + other, false}, {2, 4, old, false},
		{3, 2, old, false}, {2, 3, "", false}, {2, 3, "x,,=", false}, {2, 3, strings.Repeat("x,", 100) + old, false},
	} {
		if got := HandedOver(public(c.known), public(c.next), c.header); got != c.want {
			t.Errorf("%d to %d by %q: %v", c.known, c.next, c.header, got)
		}
	}
	if HandedOver(nil, public(3), old) || HandedOver(public(2), nil, old) {
		t.Error("no key at all")
	}
}
