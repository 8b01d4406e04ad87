package sources

import (
	"context"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/core/stock"
	"cirque/core/words"
)

// Search finds people, groups, machines, objects of the estate, and what was found beside it, by a part of what they
// are called or told: also by serial number, and by hardware address in any notation. kinds empty is all.
func (s *Room) Search(_ context.Context, p *access.Principal, kinds []string, word string,
	limit int) ([]directory.Match,
	int, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, 0, err
	}
	word = name.Fold(strings.TrimSpace(word))
	hardware := hardwareOf(word)
	out, begin, total := []directory.Match{}, 0, 0
	add := func(kind, called, says, detail string) {
		f := directory.Match{Kind: kind, Name: called, Says: says, Detail: detail}
		at := -1
		for i, text := range []string{f.Name, f.Says, f.Detail} {
			if k := strings.Index(name.Fold(text), word); k == 0 && i == 0 {
				at = 0
			} else if k >= 0 && at < 0 {
				at = 1
			}
		}
		if at < 0 && hardware != "" && strings.HasSuffix(kind, "device") && strings.Contains(bare.Replace(name.Fold(detail)),
			hardware) {
			at = 1
		}
		if at < 0 {
			return
		}
		total++
		switch { // what begins with the word comes first
		case at == 0 && begin < limit:
			out = slices.Insert(out, begin, f)
			begin++
		case len(out) < limit:
			out = append(out, f)
		}
		out = out[:min(len(out), limit)]
	}
	want := func(kind string) bool { return len(kinds) == 0 || slices.Contains(kinds, kind) }
	w := s.present.View().World
	r, doc := w.Directory.Records(), w.Estate.Document()
	if want("user") {
		for _, u := range r.Users {
			add("user", u.Name, u.DisplayName, u.Unit)
		}
	}
	if want("group") {
		for i, g := range r.Groups {
			folded, says, some := name.Fold(g.Name), "", ""
			if !strings.Contains(folded, word) {
				continue
			}
			if len(out) < limit || begin < limit && strings.HasPrefix(folded, word) { // counting the members takes time
				says = memberText(w.Directory.Size(directory.GroupID(i)))
				some = strings.Join(directory.SomeIn(w.Directory, directory.GroupID(i), someMembers), ", ")
			}
			add("group", g.Name, says, some)
		}
	}
	if want("unit") {
		for i := range w.Directory.Units() {
			add("unit", w.Directory.UnitPath(directory.UnitID(i)), "", "")
		}
	}
	if want("machine") {
		for _, m := range r.Machines {
			add("machine", m.Name, m.Platform, m.Unit)
		}
	}
	if want("station") {
		for _, st := range doc.Stations {
			add("station", st.Name, st.Title, st.Location)
		}
	}
	if want("location") {
		for _, l := range doc.Locations {
			add("location", l.Path, l.Title, "")
		}
	}
	s.searchEstate(doc, want, add)
	if p.May(access.ReadStock) {
		s.searchStock(want, add)
	}
	return out, total, nil
}

// someMembers is how many members of a group are named where it may be chosen.
const someMembers = 4

// bare takes out what hardware addresses are divided by.
var bare = strings.NewReplacer(":", "", "-", "", ".", "")

// hardwareOf gives the hexadecimal digits of what may be a hardware address, or a good part of one; empty where it is
// none.
func hardwareOf(word string) string {
	digits := bare.Replace(word)
	if len(digits) < 6 || len(digits) > 12 || strings.Trim(digits, "0123456789abcdef") != "" {
		return ""
	}
	return digits
}

// searchStock looks through what was read and found: devices by what they told, servers that are only registered, the
// queues on servers, and devices that nobody has listed.
func (s *Room) searchStock(want func(string) bool, add func(kind, name, says, detail string)) {
	told := func(texts ...string) string { // what is said twice is told once
		var out []string
		for _, t := range texts {
			if t = strings.TrimSpace(t); t != "" && !slices.Contains(out, t) {
				out = append(out, t)
			}
		}
		return strings.Join(out, " ")
	}
	st := s.present.Stock()
	if want("device") {
		for _, l := range s.present.Watched(stock.KindDevice) {
			model := ""
			if l.Reading != nil {
				model = l.Reading.Model
			}
			add("device", l.Name, l.Title, told(l.URI, l.MAC, l.Note, model, l.Identity.Serial, l.Identity.MAC, l.Identity.UUID))
		}
	}
	if want("found device") {
		for _, f := range st.Found {
			i := stock.IdentityOf(f.Reading)
			add("found device", f.Address, f.Reading.Model, told(f.URI, f.Reading.Location, i.Serial, i.MAC, i.UUID))
		}
	}
	if !want("server") && !want("found queue") {
		return
	}
	for _, l := range s.present.Watched(stock.KindServer) {
		if want("server") && !l.InEstate {
			add("server", l.Name, l.Title, told(l.URI, l.Note))
		}
		r := st.Server(l.Name).Server
		if r == nil || !want("found queue") {
			continue
		}
		for _, q := range r.Queues {
			add("found queue", q.Name, "on "+l.Name, told(q.Title, q.Location, q.Model, q.Device))
		}
	}
}

// searchEstate looks through the objects of the estate that are no places or stations.
func (s *Room) searchEstate(doc *estate.Document, want func(string) bool, add func(kind, name, says,
	detail string)) {
	if want("queue") {
		for _, q := range doc.Queues {
			add("queue", q.Name, q.Title, strings.Join(append([]string{q.Location, q.Note}, q.Formerly...), " "))
		}
	}
	if want("grant") {
		for _, g := range doc.Grants {
			add("grant", g.Name, g.Title, strings.Join(append(append([]string{string(g.Effect)}, g.Queues...),
				g.Note), " "))
		}
	}
	if want("server") {
		for _, v := range doc.Servers {
			add("server", v.Name, v.Title, strings.TrimSpace(v.URI+" "+v.Note))
		}
	}
	if want("server set") {
		for _, v := range doc.ServerSets {
			add("server set", v.Name, v.Title, strings.Join(v.Members, ", "))
		}
	}
	if want("driver") {
		for _, v := range doc.Drivers {
			add("driver", v.Name, v.Exact, v.Platform)
		}
	}
	if want("subnet") {
		for _, v := range doc.Subnets {
			add("subnet", v.CIDR.String(), v.Location, v.Note)
		}
	}
}

func memberText(users, machines int) string {
	switch {
	case machines == 0:
		return words.Count(users, "user")
	case users == 0:
		return words.Count(machines, "machine")
	}
	return words.Count(users, "user") + ", " + words.Count(machines, "machine")
}
