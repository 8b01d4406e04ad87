package sources

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/words"
)

// Formats of a directory that can be imported.
const (
	FormatFile = "file" // the directory file, YAML or JSON
	FormatLDIF = "ldif" // RFC 2849
	FormatCSV  = "csv"  // tables with a head line
)

// An Intake says how files are taken in.
type Intake struct {
	Source, Format string
	Files          []document.File
	Dry            bool // only say what would be
	Accept         bool // whatever disappears
}

// Import makes a source hold exactly what the files say. Where so much would disappear that somebody should look first,
// a Conflict fault, unless that is accepted.
func (s *Room) Import(ctx context.Context, p *access.Principal, in Intake) (directory.Import, error) {
	source := in.Source
	if err := access.Check(p, access.Import); err != nil {
		return directory.Import{}, err
	}
	if !estate.ValidName(source) {
		return directory.Import{}, fault.New(fault.Invalid, "source-name", "write lower-case letters, digits and dashes",
			"%q is no name for a source", source)
	}
	if _, _, err := s.source(ctx, source); err == nil {
		return directory.Import{}, fault.New(fault.Conflict, "source-read", "name another source", "%s is read over LDAP, "+
			"and the next pass would undo the import", source)
	} else if !fault.Is(err, fault.Unknown) {
		return directory.Import{}, err
	}
	records, err := s.readDirectory(in.Format, in.Files)
	if err != nil {
		return directory.Import{}, err
	}
	if err := records.CheckNesting(); err != nil {
		return directory.Import{}, err
	}
	how := directory.Taking{Author: p.Name, Share: directory.DefaultRemovalLimit, Dry: in.Dry,
		Named: s.estateNames(source)}
	if in.Accept {
		how.Share = 100
	}
	out, err := s.store.Import(ctx, source, records.Rows(), how)
	out.Users, out.Groups, out.Machines = len(records.Users), len(records.Groups), len(records.Machines)
	if err != nil {
		return out, err
	}
	out.Notes = []string{}
	for _, says := range s.alsoElsewhere(source, records.Rows()) {
		out.Notes = append(out.Notes, says+".")
	}
	if in.Dry {
		return out, nil
	}
	if out.Held != "" {
		return out, fault.New(fault.Conflict, "removal-limit", "look at the files; if it is meant, accept the removals",
			"%s of %s, and nothing was applied", out.Held, source)
	}
	s.present.Show(ctx, event.Signal{What: event.Directory})
	out.Notes = append(out.Notes, importNotes(s.present.View().World.Directory)...)
	return out, nil
}

func (s *Room) readDirectory(format string, files []document.File) (directory.Records, error) {
	switch format {
	case FormatFile, "":
		return directory.Parse(files)
	case FormatCSV:
		return directory.ParseTables(files)
	case FormatLDIF:
		var all directory.Records
		for _, f := range files {
			r, err := s.cfg.ReadLDIF(f.Name, f.Text)
			if err != nil {
				return all, err
			}
			all.Users = append(all.Users, r.Users...)
			all.Groups = append(all.Groups, r.Groups...)
			all.Machines = append(all.Machines, r.Machines...)
		}
		return all, nil
	}
	return directory.Records{}, fault.New(fault.Invalid, "format-unknown", "write file, ldif or csv",
		"%q is no format of a directory", format)
}

// importNotes says what is odd but no error in how groups hold each other.
func importNotes(d *directory.Directory) []string {
	notes := []string{}
	if g := d.TooNested(); g != "" {
		notes = append(notes, "The groups are nested beyond all measure, so that not all of it counts; look at the group "+g+
			" and those that hold it.")
	}
	for _, c := range d.Cycles() {
		if len(c) == 1 {
			notes = append(notes, fmt.Sprintf("The group %s contains itself; that is tolerated.", c[0]))
			continue
		}
		notes = append(notes, fmt.Sprintf("The groups %s contain each other; that is tolerated.", strings.Join(c, ", ")))
	}
	return notes
}

// Search finds users, groups, machines, stations and locations by a part of what they are called. kinds empty is all.
func (s *Room) Search(_ context.Context, p *access.Principal, kinds []string, word string,
	limit int) ([]directory.Match,
	int, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, 0, err
	}
	word = name.Fold(strings.TrimSpace(word))
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
			folded, says := name.Fold(g.Name), ""
			if !strings.Contains(folded, word) {
				continue
			}
			if len(out) < limit || begin < limit && strings.HasPrefix(folded, word) { // counting the members takes time
				says = memberText(w.Directory.Size(directory.GroupID(i)))
			}
			add("group", g.Name, says, "")
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
	return out, total, nil
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
	if want("device") {
		for _, v := range doc.Devices {
			add("device", v.Name, v.Title, strings.TrimSpace(v.URI+" "+v.MAC+" "+v.Note))
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
