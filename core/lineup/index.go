package lineup

// A filing is the kind of condition under whose entries a grant is found, and which therefore holds when it is found.
type filing uint8

const (
	filedNowhere filing = iota // looked at in every context
	filedTo
	filedOn
	filedAt
)

// filingOf chooses the kind of condition that narrows most: people, then machines, then locations.
func filingOf(g *more) filing {
	switch {
	case g.to != nil && !g.to.everyone:
		return filedTo
	case g.on != nil:
		return filedOn
	case g.at != nil && len(g.at.prefixes) == 0 && len(g.at.ranges) == 0:
		return filedAt
	}
	return filedNowhere
}

// An index finds the grants that may match, each filed once under each entry of one kind of condition.
type index struct {
	byUser, byMachine, byHost map[string][]int32
	toGroup, onGroup          [][]int32 // by ref
	toUnit, onUnit            [][]int32
	byLoc                     [][]int32
	always                    []int32
}

func newIndex(e *Estate) index {
	x := index{byUser: map[string][]int32{}, byMachine: map[string][]int32{}, byHost: map[string][]int32{},
		toGroup: make([][]int32, len(e.refs.groups)), onGroup: make([][]int32, len(e.refs.groups)),
		toUnit: make([][]int32, len(e.refs.units)), onUnit: make([][]int32, len(e.refs.units)), byLoc: make([][]int32,
			len(e.tree.locs))}
	for i := range e.grants {
		x.file(e.grants[i].more, int32(i))
	}
	return x
}

func (x *index) file(g *more, i int32) {
	under := func(m map[string][]int32, keys []string) {
		for _, k := range keys {
			m[k] = append(m[k], i)
		}
	}
	put := func(lists [][]int32, ids []int32) {
		for _, id := range ids {
			lists[id] = append(lists[id], i)
		}
	}
	switch g.filed {
	case filedTo:
		under(x.byUser, g.to.users)
		put(x.toGroup, g.to.groups)
		put(x.toUnit, g.to.units)
	case filedOn:
		under(x.byMachine, g.on.machines)
		under(x.byHost, g.on.hosts)
		put(x.onGroup, g.on.groups)
		put(x.onUnit, g.on.units)
	case filedAt:
		put(x.byLoc, g.at.locs)
	default:
		x.always = append(x.always, i)
	}
}

// mark sets the bit of every grant that may match, and gives the range of words in which any is set.
func (x *index) mark(f *facts, up []location, bits []uint64) (from, to int32) {
	from = int32(len(bits))
	set := func(list []int32) {
		if len(list) == 0 {
			return
		}
		from, to = min(from, list[0]>>6), max(to, list[len(list)-1]>>6+1) // lists ascend
		for _, g := range list {
			bits[g>>6] |= 1 << (g & 63)
		}
	}
	set(x.always)
	if f.user != "" {
		set(x.byUser[f.user])
		for _, n := range f.names {
			set(x.byUser[n])
		}
	}
	for _, r := range f.userGroups {
		set(x.toGroup[r])
	}
	for _, r := range f.userUnits {
		set(x.toUnit[r])
	}
	if f.machine != "" {
		set(x.byMachine[f.machine])
	}
	if f.host != "" {
		set(x.byHost[f.host])
	}
	for _, r := range f.machGroups {
		set(x.onGroup[r])
	}
	for _, r := range f.machUnits {
		set(x.onUnit[r])
	}
	for l := f.at; l != none; l = up[l].up {
		set(x.byLoc[l])
	}
	return min(from, to), to
}
