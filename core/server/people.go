package server

import (
	"fmt"
	"slices"
	"strings"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/words"
)

// People say who may print to a queue on a server, by the names with which they sign in. The zero value is nobody.
type People struct {
	Everyone bool     `json:"everyone,omitempty" yaml:"everyone,omitempty" doc:"Everybody, but for those named; else those named alone."`
	Names    []string `json:"names,omitempty" yaml:"names,omitempty,flow" doc:"Folded, in order."`
}

// Nobody says whether none at all may print.
func (p People) Nobody() bool { return !p.Everyone && len(p.Names) == 0 }

// Equal compares two.
func (p People) Equal(o People) bool {
	return p.Everyone == o.Everyone && slices.Equal(p.Names, o.Names)
}

// shownPeople is how many are named in a sentence.
const shownPeople = 5

// String says it in a sentence's words: everybody; everybody but ida and 3 more; ida, jonas; nobody.
func (p People) String() string {
	list := strings.Join(p.Names[:min(len(p.Names), shownPeople)], ", ")
	if more := len(p.Names) - shownPeople; more > 0 {
		list += fmt.Sprintf(" and %d more", more)
	}
	switch {
	case p.Nobody():
		return "nobody"
	case !p.Everyone:
		return list
	case len(p.Names) == 0:
		return "everybody"
	}
	return "everybody but " + list
}

// permits turns the access of queues into people, each list once.
type permits struct {
	d    *directory.Directory
	sets map[string]*named

	realms map[string][]string // names with an @, by what stands before it; nil until it is asked for
}

// named is whom a list of entries names.
type named struct {
	everyone bool
	people   map[directory.MemberID]bool // by who stands for a person
	unknown  []string                    // users whom the directory does not know, as written
	more     []string                    // entries that hold, or may, by a machine or a place
}

func newPermits(d *directory.Directory) *permits { return &permits{d: d, sets: map[string]*named{}} }

func (p *permits) of(entries []string) *named {
	key := strings.Join(entries, "\x00")
	if known, ok := p.sets[key]; ok {
		return known
	}
	out := &named{people: map[directory.MemberID]bool{}}
	p.sets[key] = out
	add := func(id directory.MemberID) { out.people[p.d.Primary(id)] = true }
	for _, s := range entries {
		e, err := estate.ParseEntry(s)
		if err != nil {
			continue // Parse has refused it
		}
		switch e.Kind {
		case estate.Everyone:
			out.everyone = true
		case estate.User:
			if id := p.d.UserID(name.Fold(e.Name)); id != directory.NoMember {
				add(id)
			} else {
				out.unknown = append(out.unknown, e.Name)
			}
		case estate.Group:
			if id, ok := p.d.GroupID(e.Name); ok {
				p.d.EachUserIn(id, add)
				if holdsMachines(p.d, id) {
					out.more = append(out.more, s)
				}
			}
		case estate.Unit:
			if id, ok := p.d.Unit(e.Name); ok {
				p.d.EachUserUnder(id, add)
				some := false
				p.d.EachMachineUnder(id, func(directory.MemberID) { some = true })
				if some {
					out.more = append(out.more, s)
				}
			}
		case estate.Machine, estate.Host, estate.At, estate.InSubnet, estate.InRange:
			out.more = append(out.more, s)
		}
	}
	return out
}

func holdsMachines(d *directory.Directory, id directory.GroupID) bool {
	some := false
	d.EachMachineIn(id, func(directory.MemberID) { some = true })
	return some
}

// names lists the names of people, and more names; false where there are too many.
func (p *permits) names(people map[directory.MemberID]bool, more ...string) ([]string, bool) {
	if len(people) > MostPeople {
		return nil, false
	}
	var out []string
	for _, n := range more {
		out = append(out, name.Fold(n))
	}
	for id := range people {
		out = append(append(out, p.d.UserName(id)), p.d.Names(id)...)
	}
	slices.Sort(out)
	out = slices.Compact(out)
	return out, len(out) <= MostPeople
}

// people says who may print by an access, as far as names can say it. more says why the server lets more people print
// than the estate; unknown are users whom the directory does not know, and whom the server lets in no more. One whom it
// does not know, and who is denied, is denied by that name: who signs in with it is refused by the estate, too.
func (p *permits) people(a *estate.Access) (out People, more string, unknown []string) {
	everybody := People{Everyone: true}
	if a == nil {
		return everybody, "", nil
	}
	deny, allow := p.of(a.Deny), &named{everyone: true}
	if a.Allow != nil {
		allow = p.of(a.Allow)
	}
	if deny.everyone {
		return People{}, "", nil
	}
	var why []string
	if len(deny.more) > 0 {
		why = append(why, fmt.Sprintf("it denies by %s, and a server knows people by name alone", words.Few(deny.more, 5)))
	}
	if allow.everyone || len(allow.more) > 0 {
		if !allow.everyone {
			why = append(why, fmt.Sprintf("it allows by %s, and a server knows people by name alone", words.Few(allow.more, 5)))
		}
		list, few := p.names(deny.people, deny.unknown...)
		if !few {
			why, list = append(why, fmt.Sprintf("it denies more than %d people", MostPeople)), nil
		}
		return People{Everyone: true, Names: list}, strings.Join(why, "; "), nil
	}
	left := map[directory.MemberID]bool{}
	for id := range allow.people {
		if !deny.people[id] {
			left[id] = true
		}
	}
	list, few := p.names(left)
	if few {
		return People{Names: list}, strings.Join(why, "; "), allow.unknown
	}
	why = append(why, fmt.Sprintf("it allows more than %d people", MostPeople))
	if list, few = p.names(deny.people, deny.unknown...); !few {
		why, list = append(why, fmt.Sprintf("it denies more than %d people", MostPeople)), nil
	}
	return People{Everyone: true, Names: list}, strings.Join(why, "; "), nil
}
