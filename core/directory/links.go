package directory

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"cirque/core/name"
)

// An Account is one user of one source, by its stable id there. Without a source it is a name that no directory has,
// such as the one that some machine gives for its person.
type Account struct {
	Source string `json:"source,omitempty"`
	ID     string `json:"id,omitempty" doc:"The stable id in the source, where it has one."`
	Name   string `json:"name"`
}

// A Link is somebody's word that two accounts are one person, or are not.
type Link struct {
	ID       int64     `json:"id"`
	A        Account   `json:"a"`
	B        Account   `json:"b"`
	Unlinked bool      `json:"unlinked,omitempty" doc:"They are two people, whatever the rules say."`
	Reason   string    `json:"reason,omitempty"`
	Author   string    `json:"author"`
	At       time.Time `json:"at"`
}

// Links say which accounts are one person. Accounts of one name always are, since whoever asks gives no more than a
// name.
type Links struct {
	ByAddress  bool   `json:"by_address" doc:"Accounts of different sources with the same mail address are one person, where each source has the address once."`
	ByEmployee bool   `json:"by_employee" doc:"The same by the employee's number."`
	Primary    string `json:"primary,omitempty" doc:"The source whose account stands for a person; the first by name when absent, or where they have none there."`
	ByHand     []Link `json:"by_hand"`
}

// A Tie is one account of a person, and how it came to be theirs.
type Tie struct {
	Account
	DisplayName string `json:"display_name,omitempty"`
	Email       string `json:"email,omitempty"`
	Unit        string `json:"unit,omitempty"`
	How         string `json:"how" enum:"first,name,address,employee,hand"`
	By          string `json:"by,omitempty" doc:"What they share: the address, the number, or whose word it is."`
	Link        int64  `json:"link,omitempty" doc:"The link by hand, which can be undone."`
}

// person is a user that has several accounts or names.
type person struct {
	primary MemberID
	ties    []Tie
	names   []string   // folded, each once; the primary's first
	units   []UnitID   // of every account
	all     []MemberID // every account's number
}

// link makes people of accounts.
//
//nolint:funlen // one algorithm over shared state: by hand, by rule, by chain
func link(d *Directory) {
	users := d.records.Users
	j := linker{d: d, up: map[MemberID]MemberID{}, members: map[MemberID][]MemberID{}, how: map[MemberID]Tie{}}
	aliases := map[MemberID][]string{}
	aliasTie := map[string]Tie{}
	// Accounts of one name.
	for i, u := range users {
		if first := d.users.byName[name.Fold(u.Name)]; first != MemberID(i) {
			j.link(first, MemberID(i), Tie{How: "name", By: u.Name})
		}
	}
	byID := map[[2]string]MemberID{}
	if len(d.records.Links.ByHand) > 0 {
		for i, u := range users {
			byID[[2]string{u.Source, cmp.Or(u.ExternalID, name.Fold(u.Name))}] = MemberID(i)
		}
	}
	find := func(a Account) MemberID {
		if id, ok := byID[[2]string{a.Source, cmp.Or(a.ID, name.Fold(a.Name))}]; ok && a.Source != "" {
			return id
		}
		if a.Source == "" {
			return d.users.id(name.Fold(a.Name))
		}
		return NoMember
	}
	first := map[MemberID]MemberID{} // by root: whom a hand named first
	for _, h := range d.records.Links.ByHand {
		a, b := find(h.A), find(h.B)
		switch tie := (Tie{How: "hand", By: h.Author, Link: h.ID}); {
		case h.Unlinked:
			if a != NoMember && b != NoMember {
				j.apart = append(j.apart, [2]MemberID{a, b})
			}
		case a != NoMember && b != NoMember && d.Listed(b):
			j.link(a, b, tie)
			if _, ok := first[j.root(a)]; !ok {
				first[j.root(a)] = a
			}
		case a != NoMember && h.B.Source == "":
			folded := name.Fold(h.B.Name)
			if _, taken := aliasTie[folded]; !taken {
				tie.Account = Account{Name: h.B.Name}
				aliasTie[folded] = tie
				aliases[a] = append(aliases[a], folded)
			}
		}
	}
	if d.records.Links.ByAddress {
		j.by("address", func(u User) string { return u.Email })
	}
	if d.records.Links.ByEmployee {
		j.by("employee", func(u User) string { return u.Employee })
	}
	d.people, d.personOf = nil, map[MemberID]int32{}
	add := func(all []MemberID) {
		slices.SortFunc(all, func(a, b MemberID) int {
			leads := func(id MemberID) int {
				if users[id].Source == d.records.Links.Primary {
					return 0
				}
				return 1
			}
			return cmp.Or(cmp.Compare(leads(a), leads(b)), cmp.Compare(users[a].Source, users[b].Source), cmp.Compare(a, b))
		})
		primary := all[0]
		if f, ok := first[j.root(primary)]; ok {
			primary = f
		}
		p := person{primary: primary, all: all}
		for _, id := range append([]MemberID{primary}, all...) {
			folded := d.users.folded[id]
			if id == primary && len(p.ties) > 0 {
				continue
			}
			u := users[id]
			tie := j.how[id]
			if id == primary {
				tie = Tie{How: "first"}
			}
			tie.Account, tie.DisplayName, tie.Email, tie.Unit = Account{u.Source, u.ExternalID, u.Name}, u.DisplayName,
				u.Email, u.Unit
			p.ties = append(p.ties, tie)
			for _, n := range append([]string{folded}, aliases[id]...) {
				if !slices.Contains(p.names, n) {
					p.names = append(p.names, n)
				}
			}
			for _, n := range aliases[id] {
				p.ties = append(p.ties, aliasTie[n])
			}
			if at := d.users.at(id); at != NoUnit && !slices.Contains(p.units, at) {
				p.units = append(p.units, at)
			}
		}
		for _, id := range all {
			d.personOf[id] = int32(len(d.people))
		}
		d.people = append(d.people, p)
	}
	seen := map[MemberID]bool{}
	for i := range users {
		root := j.root(MemberID(i))
		all := j.members[root]
		if len(all) == 0 && len(aliases[MemberID(i)]) > 0 {
			all = []MemberID{MemberID(i)}
		}
		if len(all) > 0 && !seen[root] {
			seen[root] = true
			add(slices.Clone(all))
		}
	}
	d.unlinked = j.notes
}

// byAlias gives the names that no directory has to their people; before groups are worked out.
func byAlias(d *Directory) {
	for _, p := range d.people {
		for _, n := range p.names {
			if !has(d.users.byName, n) {
				d.users.byName[n] = p.primary
			}
		}
	}
}

// share gives everybody of several accounts the groups of all of them.
func share(d *Directory) {
	d.accountGroups = map[MemberID][]GroupID{}
	for i := range d.people {
		p := &d.people[i]
		var all []GroupID
		for _, n := range p.names {
			if id, ok := d.users.byName[n]; ok {
				all = append(all, d.users.groups[id]...)
			}
		}
		slices.Sort(all)
		all = slices.Clip(slices.Compact(all))
		for _, id := range p.all {
			d.accountGroups[id] = d.users.groups[d.users.byName[d.users.folded[id]]]
		}
		for _, id := range p.all {
			d.users.groups[id] = all
		}
	}
}

// linker puts accounts together.
type linker struct {
	d       *Directory
	up      map[MemberID]MemberID
	members map[MemberID][]MemberID // by root, of those that are linked
	how     map[MemberID]Tie
	apart   [][2]MemberID
	notes   []string
}

func (j *linker) root(a MemberID) MemberID {
	for {
		b, ok := j.up[a]
		if !ok {
			return a
		}
		a = b
	}
}

func (j *linker) of(root MemberID) []MemberID {
	if m := j.members[root]; len(m) > 0 {
		return m
	}
	return []MemberID{root}
}

// link puts two accounts together, unless somebody has said that any of theirs are two people.
func (j *linker) link(a, b MemberID, how Tie) {
	x, y := j.root(a), j.root(b)
	if x == y {
		return
	}
	mine, theirs := j.of(x), j.of(y)
	for _, p := range j.apart {
		if slices.Contains(mine, p[0]) && slices.Contains(theirs, p[1]) || slices.Contains(mine, p[1]) &&
			slices.Contains(theirs, p[0]) {
			return
		}
	}
	if how.How == "address" || how.How == "employee" {
		// One by one the rules could make one of two whom their own source keeps apart.
		for _, a := range mine {
			for _, b := range theirs {
				u, v := j.d.records.Users[a], j.d.records.Users[b]
				if u.Source == v.Source && name.Fold(u.Name) != name.Fold(v.Name) {
					j.note("%s and %s are two users of %s, so the %s %s does not link them", u.Name, v.Name, u.Source,
						what[how.How], how.By)
					return
				}
			}
		}
	}
	j.up[y] = x
	j.members[x] = append(slices.Clone(mine), theirs...)
	delete(j.members, y)
	for _, id := range [2]MemberID{b, a} {
		if _, ok := j.how[id]; !ok {
			j.how[id] = how
		}
	}
}

// by links accounts that share something, which each source has once.
func (j *linker) by(rule string, of func(User) string) {
	users := j.d.records.Users
	sharing := make(map[string][]MemberID, len(users))
	for i, u := range users {
		if key := name.Fold(of(u)); key != "" {
			sharing[key] = append(sharing[key], MemberID(i))
		}
	}
	for i, u := range users { // in the order of the records, so that it always comes out alike
		key := name.Fold(of(u))
		list := sharing[key]
		if key == "" || len(list) < 2 || list[0] != MemberID(i) {
			continue
		}
		sources := map[string]string{} // by source: the name there
		twice := false
		for _, id := range list {
			other, ok := sources[users[id].Source]
			twice = twice || ok && other != j.d.users.folded[id]
			sources[users[id].Source] = j.d.users.folded[id]
		}
		if twice {
			if len(sources) > 1 {
				j.note("the %s %s is that of several users of one source, so it links nobody", what[rule], of(u))
			}
			continue
		}
		for _, id := range list[1:] {
			j.link(list[0], id, Tie{How: rule, By: of(u)})
		}
	}
}

// what the rules go by, in words.
var what = map[string]string{"address": "address", "employee": "employee number"}

const mostNotes = 100

func (j *linker) note(format string, args ...any) {
	if len(j.notes) < mostNotes {
		j.notes = append(j.notes, fmt.Sprintf(format, args...))
	}
}

// Unlinked says in words what looked like one person and was not linked.
func (d *Directory) Unlinked() []string { return d.unlinked }

// People counts those who have an account; one who has several counts once.
func (d *Directory) People() int {
	n := len(d.records.Users)
	for _, p := range d.people {
		n -= len(p.all) - 1
	}
	return n
}

// Several counts those who have several accounts or names.
func (d *Directory) Several() int { return len(d.people) }

// Primary gives the account that stands for a user's person: the user itself unless it is one of several.
func (d *Directory) Primary(id MemberID) MemberID {
	if i, ok := d.personOf[id]; ok {
		return d.people[i].primary
	}
	return id
}

// Person finds who stands for somebody, whichever of their names is given.
func (d *Directory) Person(called string) (User, bool) {
	id := d.Primary(d.UserID(name.Fold(called)))
	if !d.Listed(id) {
		return User{}, false
	}
	return d.records.Users[id], true
}

// Names gives the folded names of a user's person besides the primary's; nil for most.
func (d *Directory) Names(id MemberID) []string {
	if i, ok := d.personOf[id]; ok {
		return d.people[i].names[1:]
	}
	return nil
}

// Ties lists the accounts and names of a user's person, the leading one first; a single account has none.
func (d *Directory) Ties(id MemberID) []Tie {
	if i, ok := d.personOf[id]; ok {
		return d.people[i].ties
	}
	return nil
}

// UserUnits gives the units of all accounts of a user's person.
func (d *Directory) UserUnits(id MemberID) []UnitID {
	if i, ok := d.personOf[id]; ok {
		return d.people[i].units
	}
	return nil
}

// AccountGroups is UserGroups without what other names of the person bring.
func (d *Directory) AccountGroups(id MemberID) []GroupID {
	if own, ok := d.accountGroups[id]; ok {
		return own
	}
	return d.UserGroups(id)
}

// String writes an account as SOURCE/NAME; NAME alone where no source has it.
func (a Account) String() string {
	if a.Source == "" {
		return a.Name
	}
	return a.Source + "/" + a.Name
}
