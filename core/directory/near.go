package directory

import (
	"iter"
	"strings"

	"cirque/core/name"
)

// nearest is how many names are offered for one that nobody knows.
const nearest = 3

// Near gives the names that somebody may have meant by one that the directory does not have; kind is user, group, unit
// or machine. It looks at all names of the kind, so it is for mistakes alone.
func (d *Directory) Near(kind, called string) []string {
	out := name.Near(called, namesOf(d, kind), nearest)
	if kind == "unit" && len(out) == 0 { // people write the last part of a path
		for _, u := range d.unitPath {
			if last := u[strings.LastIndexByte(u, '/')+1:]; name.Fold(last) == name.Fold(called) && len(out) < nearest {
				out = append(out, u)
			}
		}
	}
	return out
}

func namesOf(d *Directory, kind string) iter.Seq[string] {
	return func(yield func(string) bool) {
		switch kind {
		case "user":
			for i := range d.records.Users {
				if !yield(d.records.Users[i].Name) {
					return
				}
			}
		case "machine":
			for i := range d.records.Machines {
				if !yield(d.records.Machines[i].Name) {
					return
				}
			}
		case "group":
			for i := range d.records.Groups {
				if !yield(d.records.Groups[i].Name) {
					return
				}
			}
		case "unit":
			for _, u := range d.unitPath {
				if !yield(u) {
					return
				}
			}
		}
	}
}
