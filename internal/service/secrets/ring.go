package secrets

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
)

// A Ring is the keys that lie beside the data: the first seals, all of them open.
type Ring []Key

// A Key seals what is secret.
type Key struct {
	Secret []byte    // 32 bytes
	State  KeyState  // of the first one Current
	At     time.Time // since when it is in that state; zero where it is not known
}

// A KeyState says what a key does.
type KeyState string

// The states.
const (
	Current KeyState = "current"
	Next    KeyState = "next"   // it opens only, until it is the current one everywhere
	Former  KeyState = "former" // it opens, and says to agents which one came after it
)

// ID names a key without telling it.
func (k Key) ID() string {
	sum := sha256.Sum256(append([]byte("secret key of Cirque "), k.Secret...))
	return hex.EncodeToString(sum[:4])
}

// NewRing is a ring of one key.
func NewRing(secret []byte) Ring { return Ring{{Secret: secret, State: Current}} }

// ParseRing reads a ring: a key in hexadecimal on each line, the current one first, the others with their state and
// since when. ok is false for what is none.
func ParseRing(text string) (r Ring, ok bool) {
	for line := range strings.Lines(text) {
		f := strings.Fields(line)
		if len(f) == 0 {
			continue
		}
		k := Key{State: Current}
		var err error
		if k.Secret, err = hex.DecodeString(f[0]); err != nil || len(k.Secret) != 32 || len(f) > 3 {
			return nil, false
		}
		if len(f) > 1 {
			k.State = KeyState(f[1])
		}
		if len(f) > 2 {
			if k.At, err = time.Parse(time.RFC3339, f[2]); err != nil {
				return nil, false
			}
		}
		if (k.State == Current) != (len(r) == 0) || !slices.Contains([]KeyState{Current, Next, Former}, k.State) {
			return nil, false
		}
		r = append(r, k)
	}
	return r, len(r) > 0
}

// String writes it as ParseRing reads it.
func (r Ring) String() string {
	var b strings.Builder
	for i, k := range r {
		b.WriteString(hex.EncodeToString(k.Secret))
		if i > 0 || !k.At.IsZero() {
			b.WriteString(" " + string(k.State))
			if !k.At.IsZero() {
				b.WriteString(" " + k.At.UTC().Format(time.RFC3339))
			}
		}
		b.WriteString("\n")
	}
	return b.String()
}

// IDs names its keys.
func (r Ring) IDs() (out []string) {
	for _, k := range r {
		out = append(out, k.ID())
	}
	return out
}

// same says whether two rings hold the same keys in the same states.
func (r Ring) same(o Ring) bool { return r.String() == o.String() }

// Prepared gives the ring with another key that opens only: for where several services have a copy of it.
func (r Ring) Prepared(now time.Time) (Ring, error) {
	if slices.ContainsFunc(r, func(k Key) bool { return k.State == Next }) {
		return r, fault.New(fault.Conflict, "key-next", "rotate it: cirque secret-key rotate", "there is a next key already")
	}
	secret := make([]byte, 32)
	_, _ = rand.Read(secret) // it never fails
	return append(slices.Clone(r), Key{secret, Next, now.UTC().Truncate(time.Second)}), nil
}

// Rotated gives the ring in which the next key is the current one, and the current one a former; it makes a next one
// where there is none.
func (r Ring) Rotated(now time.Time) Ring {
	if prepared, err := r.Prepared(now); err == nil {
		r = prepared
	}
	now = now.UTC().Truncate(time.Second)
	i := slices.IndexFunc(r, func(k Key) bool { return k.State == Next })
	out := Ring{{r[i].Secret, Current, now}, {r[0].Secret, Former, now}}
	for j, k := range r {
		if j > 0 && j != i {
			out = append(out, k)
		}
	}
	return out
}

// Forgotten gives the ring without a key that is not the current one.
func (r Ring) Forgotten(id string) (Ring, error) {
	i := slices.IndexFunc(r, func(k Key) bool { return k.ID() == id })
	switch {
	case i < 0:
		return r, fault.New(fault.Unknown, "key-unknown", "see cirque secret-key list", "there is no key %q", id)
	case i == 0:
		return r, fault.New(fault.Conflict, "key-current", "rotate first: cirque secret-key rotate", "%s is the key that "+
			"seals", id)
	}
	return slices.Delete(slices.Clone(r), i, i+1), nil
}
