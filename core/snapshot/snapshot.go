// Package snapshot compares how things stood at two moments. It knows nothing of what they are: each has a kind, a
// name, and facts in words.
package snapshot

import (
	"cmp"
	"slices"
	"time"
)

// An Object is one that stood somehow: a server, a queue on it, an endpoint, a queue there, a device.
type Object struct {
	Kind  string            `json:"kind"`
	Name  string            `json:"name"`
	Facts map[string]string `json:"facts"`
}

// A Snapshot is how everything stood at a moment.
type Snapshot struct {
	Name    string    `json:"name"`
	Note    string    `json:"note,omitempty"`
	Author  string    `json:"author"`
	At      time.Time `json:"at"`
	Count   int       `json:"count" doc:"How many objects are in it."`
	Objects []Object  `json:"objects,omitempty"`
}

// A Difference is one way in which something stands otherwise.
type Difference struct {
	Kind   string `json:"kind" doc:"Of the thing, such as server, or queue on an endpoint."`
	Name   string `json:"name"`
	What   string `json:"what" enum:"new,gone,changed"`
	Fact   string `json:"fact,omitempty" doc:"Which fact changed."`
	Before string `json:"before,omitempty"`
	After  string `json:"after,omitempty"`
}

// A Compared is what differs between two moments.
type Compared struct {
	Before Snapshot     `json:"before"`
	After  *Snapshot    `json:"after" doc:"Null for how it stands now."`
	Total  int          `json:"total"`
	List   []Difference `json:"differences" doc:"The first of them."`
}

func compare(a, b Object) int {
	return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Name, b.Name))
}

// Sorted brings things into the order that Compare wants.
func Sorted(list []Object) []Object {
	out := slices.Clone(list)
	slices.SortStableFunc(out, compare)
	return out
}

// Compare gives what is otherwise in after than in before, by kind and name. What is there with equal facts is not
// told, nor which facts of something new there are. Both are sorted.
func Compare(before, after []Object) []Difference {
	out := []Difference{}
	for i, j := 0, 0; i < len(before) || j < len(after); {
		var order int
		switch {
		case i == len(before):
			order = 1
		case j == len(after):
			order = -1
		default:
			order = compare(before[i], after[j])
		}
		switch {
		case order < 0:
			out = append(out, Difference{Kind: before[i].Kind, Name: before[i].Name, What: "gone"})
			i++
		case order > 0:
			out = append(out, Difference{Kind: after[j].Kind, Name: after[j].Name, What: "new"})
			j++
		default:
			out = append(out, facts(before[i], after[j])...)
			i, j = i+1, j+1
		}
	}
	return out
}

func facts(a, b Object) []Difference {
	var out []Difference
	for k, v := range a.Facts {
		if b.Facts[k] != v {
			out = append(out, Difference{a.Kind, a.Name, "changed", k, v, b.Facts[k]})
		}
	}
	for k, v := range b.Facts {
		if _, there := a.Facts[k]; !there {
			out = append(out, Difference{a.Kind, a.Name, "changed", k, "", v})
		}
	}
	slices.SortFunc(out, func(x, y Difference) int { return cmp.Compare(x.Fact, y.Fact) })
	return out
}
