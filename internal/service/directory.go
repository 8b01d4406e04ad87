package service

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
	"cirque/core/name"
	"cirque/internal/fault"
)

// Formats of a directory that can be imported.
const (
	FormatFile = "file" // the directory file, YAML or JSON
	FormatLDIF = "ldif" // RFC 2849
)

// Import makes a source hold exactly what the files say.
func (s *Service) Import(ctx context.Context, p *access.Principal, source, format string, files []document.File) (directory.Import, error) {
	if err := access.Check(p, access.Import); err != nil {
		return directory.Import{}, err
	}
	if !estate.ValidName(source) {
		return directory.Import{}, fault.New(fault.Invalid, "source-name", "write lower-case letters, digits and dashes", "%q is no name for a source", source)
	}
	records, err := s.readDirectory(format, files)
	if err != nil {
		return directory.Import{}, err
	}
	out, err := s.store.Import(ctx, source, records, p.Name)
	if err != nil {
		return out, err
	}
	if err := s.refresh(ctx, event.Directory); err != nil {
		return out, err
	}
	out.Notes = importNotes(s.Snapshot().World.Directory)
	return out, nil
}

func (s *Service) readDirectory(format string, files []document.File) (directory.Records, error) {
	switch format {
	case FormatFile, "":
		return directory.Parse(files)
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
	return directory.Records{}, fault.New(fault.Invalid, "format-unknown", "write file or ldif", "%q is no format of a directory", format)
}

// importNotes says what is odd but no error: cycles, and names that several sources have.
func importNotes(d *directory.Directory) []string {
	notes := []string{}
	for _, c := range d.Cycles() {
		if len(c) == 1 {
			notes = append(notes, fmt.Sprintf("The group %s contains itself; that is tolerated.", c[0]))
			continue
		}
		notes = append(notes, fmt.Sprintf("The groups %s contain each other; that is tolerated.", strings.Join(c, ", ")))
	}
	seen := map[string]bool{}
	twice := func(kind, called string) {
		k := kind + " " + name.Fold(called)
		if seen[k] {
			notes = append(notes, fmt.Sprintf("Two sources have the %s %s; the source that comes first by name counts.", kind, called))
		}
		seen[k] = true
	}
	r := d.Records()
	for _, u := range r.Users {
		twice("user", u.Name)
	}
	for _, g := range r.Groups {
		twice("group", g.Name)
	}
	for _, m := range r.Machines {
		twice("machine", m.Name)
	}
	return notes
}

// A Found is one thing of the directory or the estate that a search turned up.
type Found struct {
	Kind   string `json:"kind" enum:"user,group,machine,station,location"`
	Name   string `json:"name"`
	Says   string `json:"says" doc:"What sets it apart, such as a person's full name or a location's title."`
	Detail string `json:"detail,omitempty" doc:"Such as the unit."`
}

// Search finds users, groups, machines, stations and locations by a part of what they are called. kinds empty is all.
func (s *Service) Search(_ context.Context, p *access.Principal, kinds []string, word string, limit int) ([]Found, int, error) {
	if err := access.Check(p, access.ReadDirectory); err != nil {
		return nil, 0, err
	}
	word = name.Fold(strings.TrimSpace(word))
	out, begin, total := []Found{}, 0, 0
	add := func(f Found) {
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
	w := s.Snapshot().World
	r, doc := w.Directory.Records(), w.Estate.Document()
	if want("user") {
		for _, u := range r.Users {
			add(Found{"user", u.Name, u.DisplayName, u.Unit})
		}
	}
	if want("group") {
		for _, g := range r.Groups {
			add(Found{"group", g.Name, fmt.Sprintf("%d members", len(g.Members)), ""})
		}
	}
	if want("machine") {
		for _, m := range r.Machines {
			add(Found{"machine", m.Name, m.Platform, m.Unit})
		}
	}
	if want("station") {
		for _, st := range doc.Stations {
			add(Found{"station", st.Name, st.Title, st.Location})
		}
	}
	if want("location") {
		for _, l := range doc.Locations {
			add(Found{"location", l.Path, l.Title, ""})
		}
	}
	return out, total, nil
}
