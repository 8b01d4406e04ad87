// Package lease is what somebody who works alone among several processes carries along, so that everything they touch
// can see whether they still may: a name, a number that grows with each holder (a fencing number), and an end.
package lease

// Key is the key under which a context carries a Held.
type Key struct{}

// Held is a lease as its holder has it.
type Held struct {
	Name   string
	Number int64 // larger than that of every holder before
	// Valid says whether it has not ended yet, by the holder's own clock, which is on the safe side.
	Valid func() bool
}

// Of gives the lease under which something is done, by a context's values; ok is false where it is done under none.
func Of(value func(key any) any) (held Held, ok bool) {
	held, ok = value(Key{}).(Held)
	return held, ok
}

// Ended says whether something is done under a lease that has ended: then nothing is to be begun and nothing written.
func Ended(value func(key any) any) bool {
	held, ok := Of(value)
	return ok && !held.Valid()
}
