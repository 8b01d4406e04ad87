package stock

import (
	"fmt"
	"strings"
)

// An Identity tells a device from others of its model, wherever it is.
type Identity struct {
	Serial string `json:"serial,omitempty"`
	UUID   string `json:"uuid,omitempty"`
	MAC    string `json:"mac,omitempty"`
}

// IdentityOf takes what a reading says of it.
func IdentityOf(d Device) Identity { return Identity{d.Serial, d.UUID, d.MAC} }

// Known says whether there is anything to go by.
func (i Identity) Known() bool { return i.Serial+i.UUID+i.MAC != "" }

func (i Identity) String() string {
	var parts []string
	for _, p := range [][2]string{{"serial ", i.Serial}, {"hardware address ", i.MAC}, {"UUID ", i.UUID}} {
		if p[1] != "" {
			parts = append(parts, p[0]+p[1])
		}
	}
	if len(parts) == 0 {
		return "nothing that identifies it"
	}
	return strings.Join(parts, ", ")
}

// A Sameness is what two identities say of each other.
type Sameness int

// The three answers.
const (
	Unproven  Sameness = iota // they have nothing in common to compare
	Same                      // a serial, UUID or hardware address is equal
	Different                 // all that can be compared differs
)

// Compare compares two identities. One equal mark is enough: a network card may be replaced, and its UUID with it.
func (i Identity) Compare(o Identity) Sameness {
	out := Unproven
	for _, p := range [][2]string{{i.Serial, o.Serial}, {i.UUID, o.UUID}, {i.MAC, o.MAC}} {
		if p[0] == "" || p[1] == "" {
			continue
		}
		if strings.EqualFold(p[0], p[1]) {
			return Same
		}
		out = Different
	}
	return out
}

// Merge adds what o knows and i does not.
func (i Identity) Merge(o Identity) Identity {
	pick := func(a, b string) string {
		if a != "" {
			return a
		}
		return b
	}
	return Identity{pick(i.Serial, o.Serial), pick(i.UUID, o.UUID), pick(i.MAC, o.MAC)}
}

// A Sighting is a device seen at an address.
type Sighting struct {
	Name     string // in the estate or as registered; "" for one that is not listed
	URI      string
	Identity Identity // as it was last known for Name, else as it is seen
	Seen     *Device  // nil where nothing answers
}

// A Verdict says what became of one listed device.
type Verdict struct {
	Kind string `json:"kind" enum:"as-known,moved,swapped,silent,unproven"`
	Says string `json:"says"`
	To   string `json:"to,omitempty" doc:"Where a moved device answers now."`
}

// Lately is everything that was seen lately, by what identifies it.
type Lately struct {
	all []Sighting
	by  map[[2]string][]int // numbers in all, by kind of mark and mark, of what answers
}

// NewLately makes the index.
func NewLately(all []Sighting) Lately {
	l := Lately{all, map[[2]string][]int{}}
	for i, s := range all {
		if s.Seen == nil {
			continue
		}
		for _, m := range IdentityOf(*s.Seen).marks() {
			l.by[m] = append(l.by[m], i)
		}
	}
	return l
}

// marks are what an identity can be found by.
func (i Identity) marks() (out [][2]string) {
	for _, m := range [][2]string{{"serial", i.Serial}, {"uuid", i.UUID}, {"mac", i.MAC}} {
		if m[1] != "" {
			out = append(out, [2]string{m[0], strings.ToLower(strings.ToUpper(m[1]))})
		}
	}
	return out
}

// elsewhere gives the first sighting, in the order in which they were given, of the same device at another host.
func (l Lately) elsewhere(one Sighting) (found Sighting, ok bool) {
	first := len(l.all)
	for _, m := range one.Identity.marks() {
		for _, i := range l.by[m] {
			if i < first && !SameHost(l.all[i].URI, one.URI) {
				first = i
			}
		}
	}
	if first == len(l.all) {
		return found, false
	}
	return l.all[first], true
}

// Judge tells what became of a listed device, given everything that was seen lately.
func (l Lately) Judge(one Sighting) Verdict {
	seen := Unproven
	if one.Seen != nil {
		seen = one.Identity.Compare(IdentityOf(*one.Seen))
	}
	if seen == Same {
		return Verdict{Kind: "as-known", Says: "it is the device that it was"}
	}
	if o, ok := l.elsewhere(one); ok {
		return Verdict{Kind: "moved", To: o.URI, Says: fmt.Sprintf("it answers at %s now (%s)", Host(o.URI), one.Identity)}
	}
	switch {
	case one.Seen == nil:
		return Verdict{Kind: "silent", Says: "nothing answers at its address"}
	case seen == Different:
		return Verdict{Kind: "swapped", Says: fmt.Sprintf("another device answers at its address: %s, with %s; it was the "+
			"one with %s", modelOr(*one.Seen), IdentityOf(*one.Seen), one.Identity)}
	}
	return Verdict{Kind: "unproven", Says: "something answers at its address, and nothing it says proves that it is the " +
		"same device"}
}

func modelOr(d Device) string {
	if d.Model == "" {
		return "of unknown model"
	}
	return d.Model
}
