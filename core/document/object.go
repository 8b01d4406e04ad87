package document

import (
	"fmt"
	"strings"
)

// An Object is a mapping whose keys have been checked.
type Object struct {
	Node
	fields map[string]Node
	keys   []string
}

// Keys gives the keys in the order in which they were written.
func (o Object) Keys() []string { return o.keys }

// Get gives the value of a key, if it is there.
func (o Object) Get(key string) (Node, bool) {
	n, ok := o.fields[key]
	return n, ok
}

// Text reads the key's text, or "" where the key is absent.
func (o Object) Text(key string) string {
	n, ok := o.fields[key]
	if !ok {
		return ""
	}
	s, ok := n.Text()
	if ok && key != "note" && key != "notice" {
		s, _ = n.plain(s, mostLine, false)
	}
	return s
}

// Bool reads the key's truth, or false where the key is absent.
func (o Object) Bool(key string) bool {
	if n, ok := o.fields[key]; ok {
		v, _ := n.Bool()
		return v
	}
	return false
}

// Texts reads the key's list of texts, or nil where the key is absent.
func (o Object) Texts(key string) []Text {
	if n, ok := o.fields[key]; ok {
		return n.Texts()
	}
	return nil
}

// Each reads the key's list of objects, or nothing where the key is absent; known is as for Node.Object.
func (o Object) Each(key string, known []string, read func(Object)) {
	list, ok := o.Get(key)
	if !ok {
		return
	}
	for _, n := range list.List() {
		if c, ok := n.Object(known); ok {
			read(c)
		}
	}
}

// Need complains where a required key is absent.
func (o Object) Need(keys ...string) {
	for _, k := range keys {
		if _, ok := o.fields[k]; !ok && !o.Wrote(k) {
			o.Complain("add it", "the key %q is missing", k)
		}
	}
}

// Wrote says whether the key was written at all: one refused for its value is not also reported as missing.
func (o Object) Wrote(key string) bool {
	for i := 0; i+1 < len(o.y.content); i += 2 {
		if o.y.content[i].value == key {
			return true
		}
	}
	return false
}

func nearestFix(key string, known []string) string {
	if k := Nearest(key, known); k != "" {
		return fmt.Sprintf("the nearest known key is %q", k)
	}
	return "known here: " + strings.Join(known, ", ")
}

// Nearest gives the known word that takes the fewest single-letter edits from word, or "" where none is near.
func Nearest(word string, known []string) string {
	best, bestD := "", max(2, len(word)/2)+1
	for _, k := range known {
		if d := edits(strings.ToLower(word), k); d < bestD {
			best, bestD = k, d
		}
	}
	return best
}

func edits(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		diag := row[0]
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := diag
			if a[i-1] != b[j-1] {
				cost++
			}
			diag = row[j]
			row[j] = min(cost, row[j]+1, row[j-1]+1)
		}
	}
	return row[len(b)]
}
