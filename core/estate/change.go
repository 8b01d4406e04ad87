package estate

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// A Change is what happens to one object: added where Before is nil, removed where After is nil. Objects are pointers
// to their types and must not be changed.
type Change struct {
	Ref
	Before, After any
}

// Kind says what happens: added, changed or removed.
func (c Change) Kind() string {
	switch {
	case c.Before == nil:
		return "added"
	case c.After == nil:
		return "removed"
	}
	return "changed"
}

// Changes finds what leads from a to b, list by list and by name. Both are sorted first where they are not.
func Changes(a, b *Document) []Change {
	a, b = a.Sorted(), b.Sorted()
	var out []Change
	for _, t := range tables {
		out = append(out, t.changes(a, b)...)
	}
	return out
}

// With gives the document with changes made; the lists that do not change are shared.
func (d *Document) With(changes []Change) *Document {
	c := *d
	for _, t := range tables {
		t.apply(&c, changes)
	}
	return &c
}

// A FieldDiff is one key of an object that differs. Lists tell what they gain and lose, all else what it was and is.
type FieldDiff struct {
	Key    string   `json:"key"`
	Before string   `json:"before,omitempty"`
	After  string   `json:"after,omitempty"`
	Gains  []string `json:"gains,omitempty"`
	Loses  []string `json:"loses,omitempty"`
}

// A Diff is a change for people and programs.
type Diff struct {
	Ref
	Kind   string          `json:"kind" enum:"added,changed,removed"`
	Fields []FieldDiff     `json:"fields" doc:"The keys that differ; every key of an object that is added or removed."`
	Before json.RawMessage `json:"before,omitempty" doc:"The whole object as it was."`
	After  json.RawMessage `json:"after,omitempty" doc:"The whole object as it is to be."`
}

// Diffs puts changes into words and values.
func Diffs(changes []Change) []Diff {
	out := make([]Diff, 0, len(changes))
	for _, c := range changes {
		d := Diff{Ref: c.Ref, Kind: c.Kind(), Fields: []FieldDiff{}}
		var before, after map[string]any
		if c.Before != nil {
			d.Before, before = keys(c.Before)
		}
		if c.After != nil {
			d.After, after = keys(c.After)
		}
		for _, k := range order(c, before, after) {
			if f, differs := fieldDiff(k, before[k], after[k]); differs {
				d.Fields = append(d.Fields, f)
			}
		}
		out = append(out, d)
	}
	return out
}

func keys(object any) (json.RawMessage, map[string]any) {
	b, _ := json.Marshal(object) // objects are plain values
	var m map[string]any
	_ = json.Unmarshal(b, &m)
	return b, m
}

// order gives the keys of both sides in the order in which the format has them.
func order(c Change, before, after map[string]any) []string {
	var out []string
	for _, object := range []any{c.Before, c.After} {
		if object == nil {
			continue
		}
		b, _ := json.Marshal(object)
		dec := json.NewDecoder(strings.NewReader(string(b)))
		_, _ = dec.Token()
		for dec.More() {
			k, _ := dec.Token()
			var skip json.RawMessage
			_ = dec.Decode(&skip)
			if s, ok := k.(string); ok && !slices.Contains(out, s) {
				out = append(out, s)
			}
		}
	}
	return out
}

func fieldDiff(key string, a, b any) (FieldDiff, bool) {
	f := FieldDiff{Key: key}
	x, listA := texts(a)
	y, listB := texts(b)
	if (listA || a == nil) && (listB || b == nil) && (listA || listB) && !slices.Equal(x, y) {
		for _, s := range y {
			if !slices.Contains(x, s) {
				f.Gains = append(f.Gains, s)
			}
		}
		for _, s := range x {
			if !slices.Contains(y, s) {
				f.Loses = append(f.Loses, s)
			}
		}
		if len(f.Gains)+len(f.Loses) > 0 {
			return f, true
		}
		f.Before, f.After = strings.Join(x, ", "), strings.Join(y, ", ") // another order, or one more of the same
		return f, true
	}
	f.Before, f.After = show(a), show(b)
	return f, f.Before != f.After
}

func texts(v any) ([]string, bool) {
	list, ok := v.([]any)
	if !ok {
		return nil, false
	}
	out := make([]string, 0, len(list))
	for _, x := range list {
		out = append(out, show(x))
	}
	return out, true
}

// hoursOf reads a window of opening hours; from begins with its days.
func hoursOf(m map[string]any) (from, to string, ok bool) {
	from, okFrom := m["from"].(string)
	to, okTo := m["to"].(string)
	if !okFrom || !okTo || len(m) > 3 {
		return "", "", false
	}
	if days, some := texts(m["days"]); some {
		from = strings.Join(days, " ") + " " + from
	}
	return from, to, true
}

// show writes a value in one line, as the format would.
func show(v any) string {
	switch x := v.(type) {
	case nil:
		return ""
	case string:
		return x
	case map[string]any:
		if from, to, ok := hoursOf(x); ok {
			return from + "-" + to
		}
		var parts []string
		for _, k := range slices.Sorted(func(yield func(string) bool) {
			for k := range x {
				if !yield(k) {
					return
				}
			}
		}) {
			parts = append(parts, k+": "+show(x[k]))
		}
		return "{" + strings.Join(parts, ", ") + "}"
	case []any:
		list, _ := texts(x)
		return "[" + strings.Join(list, ", ") + "]"
	}
	return fmt.Sprint(v)
}
