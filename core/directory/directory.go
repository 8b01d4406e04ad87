// Package directory holds users, groups, units and machines as one immutable value, with the groups of each member
// worked out through every nesting.
package directory

import (
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
	ExternalID  string `json:"external_id,omitempty" yaml:"external_id,omitempty"`
}

// A Group is a set of users, machines and groups.
type Group struct {
	Name       string   `json:"name" yaml:"name"`
	Members    []string `json:"members,omitempty" yaml:"members,omitempty" doc:"user:N, group:N or machine:N"`
	ExternalID string   `json:"external_id,omitempty" yaml:"external_id,omitempty"`
}

// A Machine is a computer that the directory knows.
type Machine struct {
	Name       string `json:"name" yaml:"name"`
	Unit       string `json:"unit,omitempty" yaml:"unit,omitempty"`
	Location   string `json:"location,omitempty" yaml:"location,omitempty"`
	Platform   string `json:"platform,omitempty" yaml:"platform,omitempty"`
	ExternalID string `json:"external_id,omitempty" yaml:"external_id,omitempty"`
}

// Records are what one source, or all sources together, hold.
type Records struct {
	Users    []User    `json:"users"`
	Groups   []Group   `json:"groups"`
	Machines []Machine `json:"machines"`
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
	users    map[string]int32 // by folded name
	machines map[string]int32
	groups   map[string]GroupID
	inUser   map[string][]GroupID // by folded user name: every group, through nesting, ascending
	inMach   map[string][]GroupID
	units    map[string]UnitID // by folded path
	unitPath []string          // the path as first written
	unitUp   []UnitID          // the parent, NoUnit at the top
	userUnit []UnitID
	machUnit []UnitID
	cycles   [][]string
}

// New indexes records. Names must be unique under Fold within each kind; Parse and the importers see to it, and of two
// the first counts here.
func New(r Records) *Directory {
	d := &Directory{records: r, users: make(map[string]int32, len(r.Users)), machines: make(map[string]int32, len(r.Machines)),
		groups: make(map[string]GroupID, len(r.Groups)), inUser: make(map[string][]GroupID, len(r.Users)), inMach: map[string][]GroupID{}, units: map[string]UnitID{}}
	for i, u := range r.Users {
		if k := name.Fold(u.Name); !has(d.users, k) {
			d.users[k] = int32(i)
		}
		d.userUnit = append(d.userUnit, d.unit(u.Unit))
	}
	for i, m := range r.Machines {
		if k := name.Fold(m.Name); !has(d.machines, k) {
			d.machines[k] = int32(i)
		}
		d.machUnit = append(d.machUnit, d.unit(m.Unit))
	}
	for i, g := range r.Groups {
		if k := name.Fold(g.Name); !has(d.groups, k) {
			d.groups[k] = GroupID(i)
		}
	}
	d.nest()
	return d
}

func has[K comparable, V any](m map[K]V, k K) bool {
	_, ok := m[k]
	return ok
}

func (d *Directory) unit(path string) UnitID {
	if path == "" {
		return NoUnit
	}
	key := name.Fold(path)
	if id, ok := d.units[key]; ok {
		return id
	}
	up := NoUnit
	if parent, ok := name.UnitParent(path); ok {
		up = d.unit(parent)
	}
	id := UnitID(len(d.unitPath))
	d.units[key] = id
	d.unitPath = append(d.unitPath, path)
	d.unitUp = append(d.unitUp, up)
	return id
}

// nest works out every member's groups. Groups form a graph that may have cycles; a breadth-first walk up from each
// group meets each of its ancestors once.
func (d *Directory) nest() {
	parents := make([][]GroupID, len(d.records.Groups))
	directUser, directMach := map[string][]GroupID{}, map[string][]GroupID{}
	for i, g := range d.records.Groups {
		for _, m := range g.Members {
			kind, member, _ := strings.Cut(m, ":")
			key := name.Fold(member)
			switch kind {
			case "user":
				directUser[key] = append(directUser[key], GroupID(i))
			case "machine":
				directMach[key] = append(directMach[key], GroupID(i))
			case "group":
				if c, ok := d.groups[key]; ok {
					parents[c] = append(parents[c], GroupID(i))
				}
			}
		}
	}
	up := make([][]GroupID, len(parents)) // each group with all its ancestors, ascending
	seen := make([]int, len(parents))
	inCycle := make([]bool, len(parents))
	for g := range parents {
		walk := []GroupID{GroupID(g)}
		seen[g] = g + 1
		for i := 0; i < len(walk); i++ {
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
		slices.Sort(walk)
		up[g] = walk
	}
	d.noteCycles(up, inCycle)
	closure := func(direct map[string][]GroupID, into map[string][]GroupID) {
		for member, groups := range direct {
			var all []GroupID
			for _, g := range groups {
				all = append(all, up[g]...)
			}
			slices.Sort(all)
			into[member] = slices.Clip(slices.Compact(all))
		}
	}
	closure(directUser, d.inUser)
	closure(directMach, d.inMach)
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

// Cycles lists the groups that contain themselves, each cycle once.
func (d *Directory) Cycles() [][]string { return d.cycles }

// Records gives what the directory was made from; the caller must not change it.
func (d *Directory) Records() Records { return d.records }

// User finds a user by name.
func (d *Directory) User(called string) (User, bool) {
	if i, ok := d.users[name.Fold(called)]; ok {
		return d.records.Users[i], true
	}
	return User{}, false
}

// Machine finds a machine by name.
func (d *Directory) Machine(called string) (Machine, bool) {
	if i, ok := d.machines[name.Fold(called)]; ok {
		return d.records.Machines[i], true
	}
	return Machine{}, false
}

// GroupID finds a group by name.
func (d *Directory) GroupID(called string) (GroupID, bool) {
	id, ok := d.groups[name.Fold(called)]
	return id, ok
}

// Group gives a group by its number.
func (d *Directory) Group(id GroupID) Group { return d.records.Groups[id] }

// UserGroups gives every group that a user is in, directly or through nesting, ascending. folded is name.Fold(called).
func (d *Directory) UserGroups(folded string) []GroupID { return d.inUser[folded] }

// MachineGroups is UserGroups for a machine.
func (d *Directory) MachineGroups(folded string) []GroupID { return d.inMach[folded] }

// UserUnit gives the unit that a user is in.
func (d *Directory) UserUnit(folded string) UnitID {
	if i, ok := d.users[folded]; ok {
		return d.userUnit[i]
	}
	return NoUnit
}

// MachineUnit gives the unit that a machine is in.
func (d *Directory) MachineUnit(folded string) UnitID {
	if i, ok := d.machines[folded]; ok {
		return d.machUnit[i]
	}
	return NoUnit
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
	member := name.Fold(called)
	seen := map[GroupID]bool{id: true}
	walk := []*step{{group: id}}
	for i := 0; i < len(walk); i++ {
		for _, m := range d.records.Groups[walk[i].group].Members {
			k, n, _ := strings.Cut(m, ":")
			if k == kind && name.Fold(n) == member {
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
