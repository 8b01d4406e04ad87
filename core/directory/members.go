package directory

import (
	"cmp"
	"slices"

	"cirque/core/name"
)

// EachUser calls f with every user: those that are listed, and those that only some group names.
func EachUser(d *Directory, f func(MemberID)) {
	for i := range d.users.folded {
		f(MemberID(i))
	}
}

// EachUserIn calls f for every user that a group holds, directly or through nesting, once each.
func (d *Directory) EachUserIn(id GroupID, f func(MemberID)) {
	each(d, id, &d.users, always(once(d, f)))
}

// SomeIn names the first few people whom a group holds, else machines: direct members before those of groups in it.
func SomeIn(d *Directory, id GroupID, most int) (out []string) {
	for _, of := range []struct {
		list *members
		name func(MemberID) string
	}{{&d.users, titles(d)}, {&d.machines, d.MachineName}} {
		each(d, id, of.list, func(m MemberID) bool {
			out = append(out, of.name(m))
			return len(out) < most
		})
		if len(out) > 0 {
			return out
		}
	}
	return out
}

// titles gives what users are called by people: the display name, where the directory has one.
func titles(d *Directory) func(MemberID) string {
	return func(id MemberID) string {
		if int(id) < len(d.records.Users) {
			u := d.records.Users[id]
			return cmp.Or(u.DisplayName, u.Name)
		}
		return d.UserName(id)
	}
}

// always goes on whatever comes.
func always(f func(MemberID)) func(MemberID) bool {
	return func(id MemberID) bool {
		f(id)
		return true
	}
}

// once calls f for whoever stands for a user's person, once each.
func once(d *Directory, f func(MemberID)) func(MemberID) {
	if len(d.people) == 0 {
		return f
	}
	met := map[MemberID]bool{}
	return func(id MemberID) {
		if _, several := d.personOf[id]; several {
			if id = d.Primary(id); met[id] {
				return
			}
			met[id] = true
		}
		f(id)
	}
}

// EachMachineIn is EachUserIn for machines.
func (d *Directory) EachMachineIn(id GroupID, f func(MemberID)) { each(d, id, &d.machines, always(f)) }

// each calls f for the members of a group until it says false.
func each(d *Directory, id GroupID, m *members, f func(MemberID) bool) {
	seen, met := map[GroupID]bool{id: true}, map[MemberID]bool{}
	for walk := []GroupID{id}; len(walk) > 0; {
		g := walk[0]
		walk = walk[1:]
		for _, member := range m.direct[g] {
			if !met[member] {
				met[member] = true
				if !f(member) {
					return
				}
			}
		}
		for _, below := range d.down[g] {
			if !seen[below] {
				seen[below] = true
				walk = append(walk, below)
			}
		}
	}
}

// EachUserUnder calls f for every user whose unit is a unit or under it.
func (d *Directory) EachUserUnder(id UnitID, f func(MemberID)) {
	d.users.under(id, d.unitEnd[id], once(d, f))
}

// EachMachineUnder is EachUserUnder for machines.
func (d *Directory) EachMachineUnder(id UnitID, f func(MemberID)) {
	d.machines.under(id, d.unitEnd[id], f)
}

func (m *members) under(from, end UnitID, f func(MemberID)) {
	for i, u := range m.unit {
		if from <= u && u < end {
			f(MemberID(i))
		}
	}
}

// Size counts whom a group holds through every nesting.
func (d *Directory) Size(id GroupID) (users, machines int) {
	d.EachUserIn(id, func(MemberID) { users++ })
	d.EachMachineIn(id, func(MemberID) { machines++ })
	return users, machines
}

// A Claim is whom something is meant for in one source: everyone of it, or one of its users, groups or units. What
// other sources say of the same names does not count, and neither does who is linked with whom: those who keep another
// source must not be able to become somebody here.
type Claim struct {
	Source string
	Kind   string // everyone, user, group or unit
	Name   string
}

// Holds says whether a claim holds for a user of a directory.
func (c Claim) Holds(d *Directory, u User) bool {
	if c.Source == "" || name.Fold(c.Source) != name.Fold(u.Source) {
		return false
	}
	switch c.Kind {
	case "everyone":
		return true
	case "user":
		return name.Fold(c.Name) == name.Fold(u.Name)
	case "group":
		g, ok := d.groups[name.Fold(c.Source)+"/"+name.Fold(c.Name)]
		return ok && lists(d, g, u)
	case "unit":
		up, ok := d.Unit(c.Name)
		at, in := d.Unit(u.Unit)
		return ok && in && up <= at && at < d.UnitEnd(up)
	}
	return false
}

// lists says whether a group has a user by the groups of the user's own source alone, through nesting.
func lists(d *Directory, g GroupID, u User) bool {
	id := d.UserID(name.Fold(u.Name))
	if id == NoMember || int(id) >= len(d.users.own) {
		return false
	}
	seen := map[GroupID]bool{g: true}
	for walk := []GroupID{g}; len(walk) > 0; {
		x := walk[0]
		walk = walk[1:]
		if slices.Contains(d.users.own[id], x) {
			return true
		}
		for _, below := range d.down[x] {
			if !seen[below] && d.records.Groups[below].Source == u.Source {
				seen[below] = true
				walk = append(walk, below)
			}
		}
	}
	return false
}
