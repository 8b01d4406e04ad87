package rehearse

import (
	"slices"
	"strings"

	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/name"
)

// Moved gives a directory's records as they would be after some moves, each written WHO=WHERETO: user:N or machine:N,
// and unit:P to be in that unit, +group:G to join a group or -group:G to leave it. The records are not altered. A
// person, machine, group or unit that nobody knows is an Unknown fault; named says of a unit whether the estate names
// it.
func Moved(d *directory.Directory, moves []string, named func(unit string) bool) (directory.Records, error) {
	r := d.Records()
	r.Users, r.Machines, r.Groups = slices.Clone(r.Users), slices.Clone(r.Machines), slices.Clone(r.Groups)
	for _, written := range moves {
		who, to, ok := strings.Cut(written, "=")
		kind, called, _ := strings.Cut(who, ":")
		if !ok || kind != "user" && kind != "machine" || !name.Valid(called) {
			return r, fault.New(fault.Invalid, "move-invalid", "write user:NAME=unit:PATH, user:NAME=+group:NAME or "+
				"machine:NAME=-group:NAME", "%q does not say who moves where", written)
		}
		if err := checkKnown(d, kind, called); err != nil {
			return r, err
		}
		if unit, is := strings.CutPrefix(to, "unit:"); is && name.ValidUnit(unit) && !named(unit) {
			if _, ok := d.Unit(unit); !ok {
				return r, unknown(d, "unit", unit)
			}
		}
		if err := move(d, &r, kind, called, to, written); err != nil {
			return r, err
		}
	}
	return r, nil
}

// checkKnown gives an Unknown fault for a person or machine that the directory has not, and none of its groups names.
func checkKnown(d *directory.Directory, kind, called string) error {
	id := d.UserID(name.Fold(called))
	if kind == "machine" {
		id = d.MachineID(name.Fold(called))
	}
	if id == directory.NoMember {
		return unknown(d, kind, called)
	}
	return nil
}

func unknown(d *directory.Directory, kind, called string) error {
	fix := name.DidYouMean(d.Near(kind, called), "see cirque directory find")
	return fault.New(fault.Unknown, kind+"-unknown", fix, "the directory has no %s %q", kind, called)
}

func move(d *directory.Directory, r *directory.Records, kind, called, to, written string) error {
	same := func(other string) bool { return name.Fold(other) == name.Fold(called) }
	switch what, where, _ := strings.Cut(to, ":"); what {
	case "unit":
		if !name.ValidUnit(where) {
			return fault.New(fault.Invalid, "move-invalid", "write names divided by single slashes", "%q is no unit", where)
		}
		if kind == "user" {
			if i := slices.IndexFunc(r.Users, func(u directory.User) bool { return same(u.Name) }); i >= 0 {
				r.Users[i].Unit = where
				return nil
			}
		} else if i := slices.IndexFunc(r.Machines, func(m directory.Machine) bool { return same(m.Name) }); i >= 0 {
			r.Machines[i].Unit = where
			return nil
		}
		return unknown(d, kind, called)
	case "+group", "-group":
		i := slices.IndexFunc(r.Groups, func(g directory.Group) bool { return name.Fold(g.Name) == name.Fold(where) })
		if i < 0 {
			return unknown(d, "group", where)
		}
		members := slices.DeleteFunc(slices.Clone(r.Groups[i].Members), func(m string) bool {
			k, n, _ := strings.Cut(m, ":")
			return k == kind && same(n)
		})
		if what == "+group" {
			members = append(members, kind+":"+called)
		} else if len(members) == len(r.Groups[i].Members) {
			return fault.New(fault.Unknown, "member-unknown", "the person may be in it through another group: see "+
				"cirque person NAME",
				"%s:%s is not listed in the group %s itself", kind, called, where)
		}
		r.Groups[i].Members = members
		return nil
	}
	return fault.New(fault.Invalid, "move-invalid", "write unit:PATH, +group:NAME or -group:NAME after the equals sign",
		"%q does not say where to", written)
}
