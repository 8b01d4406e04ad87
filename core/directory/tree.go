package directory

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"cirque/core/name"
)

// An Entry is one object of a directory's tree, as far as Cirque reads it.
type Entry struct {
	ID          string // the source's own, which stays through renames and moves
	DN          string // in a form in which equal names are equal
	Kind        string // user, group, machine, or unit
	Name        string
	DisplayName string
	Email       string
	Employee    string // the employee's number
	Unit        string // the path of the units above it
	Location    string
	Members     []Member
}

// A Member is one that a group lists: by its place in the tree, by name, or both.
type Member struct {
	DN   string
	Name string // such as user:mira; "" where only the tree tells
}

// A Tree is all that one source holds, by the sources' own ids. It is not safe for several goroutines.
type Tree struct {
	entries map[string]Entry
	byDN    map[string]string
	holders map[string]map[string]bool // by a member's DN: the groups' ids
}

// NewTree takes entries in. Of two with one id the last counts.
func NewTree(entries []Entry) *Tree {
	t := &Tree{entries: make(map[string]Entry, len(entries)), byDN: make(map[string]string, len(entries)),
		holders: map[string]map[string]bool{}}
	for _, e := range entries {
		t.put(e)
	}
	return t
}

func (t *Tree) put(e Entry) {
	t.drop(e.ID)
	t.entries[e.ID] = e
	t.byDN[e.DN] = e.ID
	for _, m := range e.Members {
		if m.DN == "" {
			continue
		}
		if t.holders[m.DN] == nil {
			t.holders[m.DN] = map[string]bool{}
		}
		t.holders[m.DN][e.ID] = true
	}
}

func (t *Tree) drop(id string) {
	e, ok := t.entries[id]
	if !ok {
		return
	}
	delete(t.entries, id)
	if t.byDN[e.DN] == id {
		delete(t.byDN, e.DN)
	}
	for _, m := range e.Members {
		delete(t.holders[m.DN], id)
	}
}

// Len counts the entries.
func (t *Tree) Len() int { return len(t.entries) }

// row gives an entry as it is kept; ok is false for what is no user, group or machine.
func (t *Tree) row(e Entry) (Row, bool) {
	var r Records
	switch e.Kind {
	case "user":
		r.Users = []User{{Name: e.Name, DisplayName: e.DisplayName, Email: e.Email, Unit: e.Unit, Employee: e.Employee,
			ExternalID: e.ID}}
	case "machine":
		r.Machines = []Machine{{Name: e.Name, Unit: e.Unit, Location: e.Location, ExternalID: e.ID}}
	case "group":
		r.Groups = []Group{{Name: e.Name, Members: t.members(e), ExternalID: e.ID}}
	default:
		return Row{}, false
	}
	return r.Rows()[0], true
}

// members names a group's members, each once; a member that the tree does not hold and that has no name is left out.
func (t *Tree) members(g Entry) []string {
	var out []string
	seen := map[string]bool{}
	for _, m := range g.Members {
		said := m.Name
		if e, ok := t.entries[t.byDN[m.DN]]; ok && m.DN != "" {
			said = ""
			if e.Kind == "user" || e.Kind == "group" || e.Kind == "machine" {
				said = e.Kind + ":" + e.Name
			}
		}
		if said != "" && !seen[said] {
			seen[said] = true
			out = append(out, said)
		}
	}
	return out
}

// Rows gives all users, groups and machines as they are kept, in a stable order. Names are unique within each kind: of
// two that have one, the first by id counts, and the other is told in notes.
func (t *Tree) Rows() (rows []Row, twice []string) {
	taken := map[string]string{}
	for _, id := range slices.Sorted(maps.Keys(t.entries)) {
		r, ok := t.row(t.entries[id])
		if !ok {
			continue
		}
		key := r.Kind + " " + name.Fold(r.Name)
		if taken[key] != "" {
			twice = append(twice, r.Kind+" "+r.Name)
			continue
		}
		taken[key] = id
		rows = append(rows, r)
	}
	return rows, twice
}

// A Delta is what a few changed entries alter among the rows.
type Delta struct {
	Rows  []Row // as they are to be
	Gone  []Row // by kind and id
	Whole bool  // a unit was moved or renamed: all that is below has moved too, and only a whole pass tells
}

// Apply takes changed entries in and those that are gone out, and gives the rows that follow from it: their own, and
// those of the groups that list whoever has another name now.
func (t *Tree) Apply(changed []Entry, gone []string) Delta {
	var d Delta
	touched := map[string]bool{}
	group := func(dn string) {
		for id := range t.holders[dn] {
			touched[id] = true
		}
	}
	for _, id := range gone {
		e, ok := t.entries[id]
		if !ok {
			continue
		}
		if r, ok := t.row(e); ok {
			d.Gone = append(d.Gone, r)
		}
		d.Whole = d.Whole || e.Kind == "unit"
		t.drop(id)
		group(e.DN)
		delete(touched, id)
	}
	for _, e := range changed {
		before, known := t.entries[e.ID]
		if known && before.Kind == "unit" && before.DN != e.DN {
			d.Whole = true
		}
		if r, ok := t.row(before); known && ok && before.Kind != e.Kind {
			d.Gone = append(d.Gone, r)
		}
		t.put(e)
		touched[e.ID] = true
		if !known || before.DN != e.DN || before.Name != e.Name || before.Kind != e.Kind {
			group(before.DN)
			group(e.DN)
		}
	}
	for _, id := range slices.Sorted(maps.Keys(touched)) {
		if e, ok := t.entries[id]; ok {
			if r, ok := t.row(e); ok {
				d.Rows = append(d.Rows, r)
			}
		}
	}
	return d
}

// A Rename is one object that has another name now, by its own id.
type Rename struct {
	Kind string `json:"kind" enum:"user,group,machine"`
	From string `json:"from"`
	To   string `json:"to"`
}

// Renames finds those in what an import alters. have are the rows before.
func Renames(have, want []Row) []Rename {
	type key struct{ kind, id string }
	was := make(map[key]string, len(have))
	for _, r := range have {
		was[key{r.Kind, r.ExternalID}] = r.Name
	}
	var out []Rename
	for _, r := range want {
		if before, ok := was[key{r.Kind, r.ExternalID}]; ok && name.Fold(before) != name.Fold(r.Name) {
			out = append(out, Rename{r.Kind, before, r.Name})
		}
	}
	slices.SortFunc(out, func(a, b Rename) int {
		return cmp.Or(strings.Compare(a.Kind, b.Kind), strings.Compare(a.From, b.From))
	})
	return out
}

// CountRows counts rows by kind.
func CountRows(rows []Row) map[string]int {
	n := map[string]int{}
	for _, r := range rows {
		n[r.Kind]++
	}
	return n
}

// TooMuch says why somebody should look before so much of a source disappears; "" where nobody need: of users, groups
// or machines more than share percent of what it held and more than a handful, or all. Both are counts by kind.
func TooMuch(had, gone map[string]int, share int) string {
	const handful = 5
	for _, kind := range []string{"user", "group", "machine"} {
		if n, of := gone[kind], had[kind]; share < 100 && n > 0 && (n == of && of > 1 || n > handful && n*100 > of*share) {
			return fmt.Sprintf("%d of %d %ss would disappear", n, of, kind)
		}
	}
	return ""
}

// A Mark is how far a source has been read: what the next pass for changes begins at.
type Mark struct {
	Cookies map[string][]byte // by kind, of content synchronisation (RFC 4533)
	Stamp   string            // the latest time of change that was read, as the source writes it
}

// Zero says that nothing has been read yet.
func (m Mark) Zero() bool { return len(m.Cookies) == 0 && m.Stamp == "" }

// A Pass is what one reading of a source gave.
type Pass struct {
	Entries []Entry
	Gone    []string // ids that are there no more
	// where it is not nil: all ids that are there, those of Entries included, of the kinds in Kinds
	Present map[string]bool
	Kinds   map[string]bool
	Mark    Mark
	Notes   []string
}

// Absent lists the ids of a tree that a pass says are there no more, sorted. What it tells of as well is there: some
// servers name an entry that has changed among those that are gone, and give it again.
func (t *Tree) Absent(p Pass) []string {
	told := make(map[string]bool, len(p.Entries))
	for _, e := range p.Entries {
		told[e.ID] = true
	}
	gone := map[string]bool{}
	for _, id := range p.Gone {
		if _, held := t.entries[id]; held && !told[id] {
			gone[id] = true
		}
	}
	if p.Present != nil {
		for id, e := range t.entries {
			if p.Kinds[e.Kind] && !p.Present[id] && !told[id] {
				gone[id] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(gone))
}
