package directory

import (
	"cmp"
	"slices"
	"strings"

	"cirque/core/name"
)

// numberUnits collects the units with all that are above them, and numbers them so that those under a unit follow it.
func numberUnits(d *Directory) {
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

// nest works out every member's groups. Groups form a graph that may have cycles; a breadth-first walk up from each
// group meets each of its ancestors once.
func nest(d *Directory) {
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
	noteCycles(d, up, inCycle)
	d.users.close(up)
	d.machines.close(up)
}

// close gives every member all groups of the groups that list it.
func (m *members) close(up [][]GroupID) {
	m.groups = make([][]GroupID, len(m.unit))
	m.own = make([][]GroupID, len(m.unit))
	own := m.own
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
func noteCycles(d *Directory, up [][]GroupID, inCycle []bool) {
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
