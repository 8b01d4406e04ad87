// Package directory holds users, groups, units and machines as one immutable value, with the groups of each member
// worked out through every nesting.
package directory

import (
	"cmp"
	"slices"
	"strings"

	"cirque/core/name"
)

// A User is a person's account.
type User struct {
	Name        string `json:"name" yaml:"name"`
	DisplayName string `json:"display_name,omitempty" yaml:"display_name,omitempty"`
	Email       string `json:"email,omitempty" yaml:"email,omitempty"`
	Unit        string `json:"unit,omitempty" yaml:"unit,omitempty"`
	Employee    string `json:"employee,omitempty" yaml:"employee,omitempty" doc:"The employee's number."`
	ExternalID  string `json:"external_id,omitempty" yaml:"external_id,omitempty"`
	Source      string `json:"-" yaml:"-"` // where it comes from, once it is kept
}

// A Group is a set of users, machines and groups.
type Group struct {
	Name       string   `json:"name" yaml:"name"`
	Members    []string `json:"members,omitempty" yaml:"members,omitempty" doc:"user:N, group:N or machine:N"`
	ExternalID string   `json:"external_id,omitempty" yaml:"external_id,omitempty"`
	Source     string   `json:"-" yaml:"-"`
}

// A Machine is a computer that the directory knows.
type Machine struct {
	Name       string `json:"name" yaml:"name"`
	Unit       string `json:"unit,omitempty" yaml:"unit,omitempty"`
	Location   string `json:"location,omitempty" yaml:"location,omitempty"`
	Platform   string `json:"platform,omitempty" yaml:"platform,omitempty"`
	ExternalID string `json:"external_id,omitempty" yaml:"external_id,omitempty"`
	Source     string `json:"-" yaml:"-"`
}

// Records are what one source, or all sources together, hold.
type Records struct {
	Users    []User    `json:"users"`
	Groups   []Group   `json:"groups"`
	Machines []Machine `json:"machines"`

	Links Links `json:"-"` // which accounts are one person
}

// A GroupID numbers the groups of one Directory, from 0.
type GroupID int32

// A UnitID numbers the units of one Directory, from 0; NoUnit stands for none.
type UnitID int32

// NoUnit is the unit of what is in none.
const NoUnit UnitID = -1

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
	d.numberUnits()
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
	d.link()
	d.byAlias()
	d.nest()
	d.share()
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

// numberUnits collects the units with all that are above them, and numbers them so that those under a unit follow it.
func (d *Directory) numberUnits() {
	written := map[string]string{} // by folded path: as first written
	add := func(path string) {
		for path != "" {
			key := name.Fold(path)
			if has(written, key) {
				return
			}
			written[key] = path
			path, _ = name.UnitParent(path)
		}
	}
	for _, u := range d.records.Users {
		add(u.Unit)
	}
	for _, m := range d.records.Machines {
		add(m.Unit)
	}
	children := map[string][]string{}
	for key := range written {
		up, _ := name.UnitParent(key)
		children[up] = append(children[up], key)
	}
	var walk func(up string, above UnitID)
	walk = func(up string, above UnitID) {
		slices.Sort(children[up])
		for _, key := range children[up] {
			id := UnitID(len(d.unitPath))
			d.units[key] = id
			d.unitPath = append(d.unitPath, written[key])
			d.unitUp = append(d.unitUp, above)
			d.unitEnd = append(d.unitEnd, 0)
			walk(key, id)
			d.unitEnd[id] = UnitID(len(d.unitPath))
		}
	}
	walk("", NoUnit)
}

func (d *Directory) unitOf(path string) UnitID {
	if path == "" {
		return NoUnit
	}
	return d.units[name.Fold(path)]
}

// nest works out every member's groups. Groups form a graph that may have cycles; a breadth-first walk up from each
// group meets each of its ancestors once.
func (d *Directory) nest() {
	n := len(d.records.Groups)
	parents := make([][]GroupID, n)
	d.down = make([][]GroupID, n)
	d.users.direct, d.machines.direct = make([][]MemberID, n), make([][]MemberID, n)
	for i, g := range d.records.Groups {
		for _, m := range g.Members {
			kind, member, _ := strings.Cut(m, ":")
			key := name.Fold(member)
			switch kind {
			case "user":
				d.users.direct[i] = append(d.users.direct[i], d.users.add(key, NoUnit))
			case "machine":
				id := d.MachineID(key)
				if id == NoMember {
					id = d.machines.add(key, NoUnit)
				}
				d.machines.direct[i] = append(d.machines.direct[i], id)
			case "group":
				// A source's groups list groups of their own source first.
				c, ok := GroupID(0), false
				if g.Source != "" {
					c, ok = d.groups[name.Fold(g.Source)+"/"+key]
				}
				if !ok {
					c, ok = d.groups[key]
				}
				if ok {
					parents[c] = append(parents[c], GroupID(i))
					d.down[i] = append(d.down[i], c)
				}
			}
		}
	}
	up := make([][]GroupID, n) // each group with all its ancestors, ascending
	seen := make([]int, n)
	inCycle := make([]bool, n)
	pairs := 0
	for g := range parents {
		walk := []GroupID{GroupID(g)}
		seen[g] = g + 1
		for i := 0; i < len(walk); i++ {
			if pairs+len(walk) > MostNesting && i > 0 {
				// importing refuses that; what changes little by little ends here
				d.tooNested = cmp.Or(d.tooNested, d.records.Groups[g].Name)
				break
			}
			for _, p := range parents[walk[i]] {
				if int(p) == g {
					inCycle[g] = true
				}
				if seen[p] != g+1 {
					seen[p] = g + 1
					walk = append(walk, p)
				}
			}
		}
		pairs += len(walk)
		slices.Sort(walk)
		up[g] = walk
	}
	d.noteCycles(up, inCycle)
	d.users.close(up)
	d.machines.close(up)
}

// close gives every member all groups of the groups that list it.
func (m *members) close(up [][]GroupID) {
	m.groups = make([][]GroupID, len(m.unit))
	own := make([][]GroupID, len(m.unit))
	for g, list := range m.direct {
		for _, id := range list {
			own[id] = append(own[id], GroupID(g))
		}
	}
	var all []GroupID
	for id, groups := range own {
		all = all[:0]
		for _, g := range groups {
			all = append(all, up[g]...)
		}
		if len(all) > 0 {
			slices.Sort(all)
			m.groups[id] = slices.Clip(slices.Clone(slices.Compact(all)))
		}
	}
}

// noteCycles gathers groups that contain each other: two are in one cycle when each is above the other.
func (d *Directory) noteCycles(up [][]GroupID, inCycle []bool) {
	done := make([]bool, len(up))
	for g := range up {
		if !inCycle[g] || done[g] {
			continue
		}
		var names []string
		for _, h := range up[g] {
			if _, back := slices.BinarySearch(up[h], GroupID(g)); inCycle[h] && back {
				names = append(names, d.records.Groups[h].Name)
				done[h] = true
			}
		}
		slices.Sort(names)
		d.cycles = append(d.cycles, names)
	}
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

// Unit finds a unit by path.
func (d *Directory) Unit(path string) (UnitID, bool) {
	id, ok := d.units[name.Fold(path)]
	return id, ok
}

// Units counts the units; UnitPath and UnitAbove take 0 to Units()-1.
func (d *Directory) Units() int { return len(d.unitPath) }

// UnitPath gives a unit's path.
func (d *Directory) UnitPath(id UnitID) string { return d.unitPath[id] }

// UnitEnd gives the number after the last unit under a unit: a is id or under it when id <= a && a < UnitEnd(id).
func (d *Directory) UnitEnd(id UnitID) UnitID { return d.unitEnd[id] }

// UnitAbove gives the unit that holds a unit, or NoUnit.
func (d *Directory) UnitAbove(id UnitID) UnitID { return d.unitUp[id] }

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
