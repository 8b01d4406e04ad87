package present

import (
	"hash/maphash"
	"iter"
	"maps"

	"cirque/core/stock"
)

// Readings are what was read last of everything that is read. They never change: a further reading gives others, which
// share all but a small part with them.
type Readings struct {
	parts [readingParts]map[Watched]stock.Kept
}

// readingParts is into how many parts they are divided; one reading copies one part.
const readingParts = 256

var readingSeed = maphash.MakeSeed()

func (w Watched) part() uint64 { return maphash.Comparable(readingSeed, w) % readingParts }

// Get gives the last reading of one, and whether there is any.
func (r *Readings) Get(w Watched) (stock.Kept, bool) {
	k, ok := r.parts[w.part()][w]
	return k, ok
}

// All gives all of them, in no order.
func (r *Readings) All() iter.Seq2[Watched, stock.Kept] {
	return func(yield func(Watched, stock.Kept) bool) {
		for _, part := range r.parts {
			for w, k := range part {
				if !yield(w, k) {
					return
				}
			}
		}
	}
}

// with gives the readings with a further one.
func (r *Readings) with(k stock.Kept) *Readings {
	w := Watched{k.Kind, k.Name}
	out := *r
	part := maps.Clone(out.parts[w.part()])
	if part == nil {
		part = map[Watched]stock.Kept{}
	}
	part[w] = k
	out.parts[w.part()] = part
	return &out
}

// readingsOf puts readings together.
func readingsOf(list []stock.Kept) *Readings {
	out := new(Readings)
	for _, k := range list {
		w := Watched{k.Kind, k.Name}
		if out.parts[w.part()] == nil {
			out.parts[w.part()] = map[Watched]stock.Kept{}
		}
		out.parts[w.part()][w] = k
	}
	return out
}
