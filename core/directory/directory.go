// Package directory holds users, groups, units and machines as one immutable value, with the groups of each member
// worked out through every nesting.
package directory

import (
	"slices"
	"strings"

	"cirque/core/name"
)

// A GroupID numbers the groups of one Directory, from 0.
type GroupID int32

// A Directory is an immutable, indexed value; any number of goroutines may read it.
type Directory struct {
	records  Records
	users    members
	machines members
	groups   map[string]GroupID  // by folded name, and by source/name
	others   map[string]MemberID // by folded source/name: users whose plain name is another's
	alike    map[string]MemberID // by a listed machine's bare name; NoMember where several have it
	down     [][]GroupID         // by group: the groups that it lists
	units    map[string]UnitID   // by folded path
	unitPath []string            // the path as first written
	unitUp   []UnitID            // the parent, NoUnit at the top
	unitEnd  []UnitID            // after the last unit under it; units are numbered so that those under one follow it
	cycles   [][]string

	tooNested     string
	people        []person // who have several accounts or names
	personOf      map[MemberID]int32
	accountGroups map[MemberID][]GroupID // of their accounts: the groups by that name alone
	unlinked      []string
}

// members are the users or the machines: those that are listed come first, in the order of the records; then those that
// only a group names.
type members struct {
	byName map[string]MemberID // by folded name
	listed int
	unit   []UnitID
	folded []string
	groups [][]GroupID  // every group, through nesting, ascending
	own    [][]GroupID  // the groups that list them themselves
	direct [][]MemberID // by group: whom it lists
}

// A MemberID numbers the users, or the machines, of one Directory, from 0; NoMember stands for none.
type MemberID int32

// NoMember is who the directory does not know, not even as a group's member.
const NoMember MemberID = -1

func (m *members) add(folded string, unit UnitID) MemberID {
	if id, ok := m.byName[folded]; ok {
		return id
	}
	id := MemberID(len(m.unit))
	m.byName[folded] = id
	m.unit, m.folded = append(m.unit, unit), append(m.folded, folded)
	return id
}

// New indexes records. Names must be unique under Fold within each kind; Parse and the importers see to it, and of two
// the first counts here.
func New(r Records) *Directory {
	d := &Directory{records: r, groups: make(map[string]GroupID, len(r.Groups)), units: map[string]UnitID{}}
	numberUnits(d)
	d.users = members{byName: make(map[string]MemberID, len(r.Users)), unit: make([]UnitID, 0, len(r.Users)),
		listed: len(r.Users)}
	d.others = map[string]MemberID{}
	for i, u := range r.Users {
		if folded := name.Fold(u.Name); has(d.users.byName, folded) {
			d.others[name.Fold(u.Source)+"/"+folded] = MemberID(i)
		}
		d.users.list(name.Fold(u.Name), d.unitOf(u.Unit))
	}
	d.machines = members{byName: make(map[string]MemberID, len(r.Machines)), unit: make([]UnitID, 0, len(r.Machines)),
		listed: len(r.Machines)}
	for _, m := range r.Machines {
		d.machines.list(name.Fold(m.Name), d.unitOf(m.Unit))
	}
	d.alike = make(map[string]MemberID, len(r.Machines))
	for i, m := range r.Machines {
		bare := name.BareMachine(name.Fold(m.Name))
		if other, ok := d.alike[bare]; ok && d.machines.folded[max(other, 0)] != d.machines.folded[i] {
			d.alike[bare] = NoMember
		} else if !ok {
			d.alike[bare] = MemberID(i)
		}
	}
	for _, qualified := range []bool{false, true} { // a plain name goes before another's with its source
		for i, g := range r.Groups {
			k := name.Fold(g.Name)
			if qualified {
				k = name.Fold(g.Source + "/" + g.Name)
			}
			if (!qualified || g.Source != "") && !has(d.groups, k) {
				d.groups[k] = GroupID(i)
			}
		}
	}
	link(d)
	byAlias(d)
	nest(d)
	share(d)
	return d
}

// list adds a listed member; its number is that of its record.
func (m *members) list(folded string, unit UnitID) {
	if !has(m.byName, folded) {
		m.byName[folded] = MemberID(len(m.unit))
	}
	m.unit, m.folded = append(m.unit, unit), append(m.folded, folded)
}

func has[K comparable, V any](m map[K]V, k K) bool {
	_, ok := m[k]
	return ok
}

// TooNested gives the group at which nesting goes beyond MostNesting, so that not all of it counts; "" for none.
func (d *Directory) TooNested() string { return d.tooNested }

// Cycles lists the groups that contain themselves, each cycle once.
func (d *Directory) Cycles() [][]string { return d.cycles }

// Records gives what the directory was made from; the caller must not change it.
func (d *Directory) Records() Records { return d.records }

// User finds a user by name.
func (d *Directory) User(called string) (User, bool) {
	if id := d.UserID(name.Fold(called)); d.Listed(id) {
		return d.records.Users[id], true
	}
	return User{}, false
}

// UserOf finds a source's user by name, also where another source's has that name.
func (d *Directory) UserOf(source, called string) (User, bool) {
	if u, ok := d.User(called); !ok || u.Source == source {
		return u, ok
	}
	id, ok := d.others[name.Fold(source)+"/"+name.Fold(called)]
	if !ok {
		return User{}, false
	}
	return d.records.Users[id], true
}

// Machine finds a machine by name.
func (d *Directory) Machine(called string) (Machine, bool) {
	return d.ListedMachine(d.MachineID(name.Fold(called)))
}

// ListedMachine gives a machine by its number; ok is false for one that only a group names.
func (d *Directory) ListedMachine(id MemberID) (Machine, bool) {
	if id < 0 || int(id) >= d.machines.listed {
		return Machine{}, false
	}
	return d.records.Machines[id], true
}

// UserID finds a user by its folded name, or NoMember. Listed users have the numbers of their records.
func (d *Directory) UserID(folded string) MemberID { return d.users.id(folded) }

// MachineID is UserID for a machine, by this rule: a name counts as it is written. Where no machine has it, a trailing
// $ is left out; and where exactly one listed machine has the same name before its domain, and only one of the two
// names has a domain, it is that machine.
func (d *Directory) MachineID(folded string) MemberID {
	if id, ok := d.machines.byName[folded]; ok {
		return id
	}
	bare := name.BareMachine(folded)
	id, ok := d.alike[bare]
	if !ok || id == NoMember {
		return NoMember
	}
	plain, theirs := strings.TrimSuffix(folded, "$"), strings.TrimSuffix(d.machines.folded[id], "$")
	if plain == theirs || plain == bare || theirs == bare {
		return id
	}
	return NoMember
}

// MachineName gives a machine's folded name by its number.
func (d *Directory) MachineName(id MemberID) string { return d.machines.folded[id] }

func (m *members) id(folded string) MemberID {
	if id, ok := m.byName[folded]; ok {
		return id
	}
	return NoMember
}

// GroupID finds a group by name.
func (d *Directory) GroupID(called string) (GroupID, bool) {
	id, ok := d.groups[name.Fold(called)]
	return id, ok
}

// Group gives a group by its number.
func (d *Directory) Group(id GroupID) Group { return d.records.Groups[id] }

// UserName gives a user's folded name by its number.
func (d *Directory) UserName(id MemberID) string { return d.users.folded[id] }

// Listed says whether a user is listed itself, rather than only named by a group.
func (d *Directory) Listed(id MemberID) bool { return id >= 0 && int(id) < d.users.listed }

// UserGroups gives every group that a user is in, directly or through nesting, ascending.
func (d *Directory) UserGroups(id MemberID) []GroupID { return d.users.in(id) }

// MachineGroups is UserGroups for a machine.
func (d *Directory) MachineGroups(id MemberID) []GroupID { return d.machines.in(id) }

func (m *members) in(id MemberID) []GroupID {
	if id == NoMember {
		return nil
	}
	return m.groups[id]
}

// UserUnit gives the unit that a user is in.
func (d *Directory) UserUnit(id MemberID) UnitID { return d.users.at(id) }

// MachineUnit gives the unit that a machine is in.
func (d *Directory) MachineUnit(id MemberID) UnitID { return d.machines.at(id) }

func (m *members) at(id MemberID) UnitID {
	if id == NoMember {
		return NoUnit
	}
	return m.unit[id]
}

// Chain gives one shortest way through which a member comes to be in a group, from the member's own group up to id;
// empty when it is not in it. Kind is "user" or "machine".
func (d *Directory) Chain(kind, called string, id GroupID) []string {
	type step struct {
		group GroupID
		below *step
	}
	// Walk down from the group until one lists the member itself.
	members := []string{name.Fold(called)}
	if kind == "user" {
		if primary := d.Primary(d.UserID(members[0])); primary != NoMember {
			members = append([]string{d.UserName(primary)}, d.Names(primary)...)
		}
	}
	seen := map[GroupID]bool{id: true}
	walk := []*step{{group: id}}
	for i := 0; i < len(walk); i++ {
		for _, m := range d.records.Groups[walk[i].group].Members {
			k, n, _ := strings.Cut(m, ":")
			if k == kind && slices.Contains(members, name.Fold(n)) {
				var out []string
				for s := walk[i]; s != nil; s = s.below {
					out = append(out, d.records.Groups[s.group].Name)
				}
				return out
			}
			if g, ok := d.groups[name.Fold(n)]; k == "group" && ok && !seen[g] {
				seen[g] = true
				walk = append(walk, &step{g, walk[i]})
			}
		}
	}
	return nil
}
