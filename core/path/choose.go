package path

import (
	"crypto/sha256"
	"encoding/binary"

	"cirque/core/estate"
	"cirque/core/live"
)

// A Spreader tells whose share of a spread set somebody is. The zero Spreader is nobody's.
type Spreader struct{ key string }

// SpreadBy makes the key of a context: its user, else its machine, both folded, else its first address as text.
func SpreadBy(user, machine, address string) Spreader {
	switch {
	case user != "":
		return Spreader{"user:" + user}
	case machine != "":
		return Spreader{"machine:" + machine}
	}
	return Spreader{"address:" + address}
}

// Score ranks a member for a key: the first 8 bytes, big-endian, of SHA-256(member, 0x00, key).
func (s Spreader) Score(member string) uint64 {
	var room [128]byte // enough for nearly every pair without allocating
	b := append(append(append(room[:0], member...), 0), s.key...)
	sum := sha256.Sum256(b)
	return binary.BigEndian.Uint64(sum[:8])
}

// Admits says whether a returning member that takes only a share of its people takes this one: a smaller share's people
// are among a larger one's. It is the first 8 bytes, big-endian, of SHA-256(member, 0x01, key), below that part of all
// numbers.
func (s Spreader) Admits(member string, share float64) bool {
	if share >= 1 {
		return true
	}
	var room [128]byte
	b := append(append(append(room[:0], member...), 1), s.key...)
	sum := sha256.Sum256(b)
	return float64(binary.BigEndian.Uint64(sum[:8])) < share*(1<<64)
}

// Serving says whether a server takes jobs: it must be neither down nor drained.
func Serving(s live.State, server string) bool { return s.Server(server) == live.Serving }

// Answering says whether a device takes jobs: a drained one still does, one that is down does not.
func Answering(s live.State, device string) bool { return s.Device(device) != live.Down }

// Choose gives the member of a set that serves somebody, and whether any can. serving is asked by a member's number.
// A set of which none serves gives its first member.
func Choose(style estate.Style, members []Member, who Spreader, serving func(int) bool) (member int, ok bool) {
	if style != estate.Spread {
		for i := range members {
			if serving(i) {
				return i, true
			}
		}
		return 0, false
	}
	best := uint64(0)
	for i := range members {
		if !serving(i) {
			continue
		}
		score := who.Score(members[i].Server)
		if !ok || score > best || score == best && members[i].Server < members[member].Server {
			member, best, ok = i, score, true
		}
	}
	return member, ok
}
