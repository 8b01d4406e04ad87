package sources

import (
	"context"
	"fmt"
	"strings"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
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
