package bulk

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

// column is a key of an object as a column of a table has it: one of a group stands after a dot.
type column struct {
	name  string
	shape Shape
}

// columns are those of a table of a list, or of a setting: all keys, those of groups after a dot.
func columns(of estate.Ref) []column {
	var out []column
	for _, k := range Keys(of) {
		if k.Shape != Group {
			out = append(out, column{k.Name, k.Shape})
			continue
		}
		for _, inner := range k.Keys {
			out = append(out, column{k.Name + "." + inner.Name, inner.Shape})
		}
	}
	return out
}

// in gives what an object says under a column.
func (c column) in(v map[string]any) any {
	outer, inner, within := strings.Cut(c.name, ".")
	if !within {
		return v[outer]
	}
	m, _ := v[outer].(map[string]any)
	return m[inner]
}

// Written gives what an object says, each key as Assign reads it; those of groups stand after a dot.
func Written(of estate.Ref, object json.RawMessage) (map[string]string, error) {
	v := map[string]any{}
	if err := decode(object, &v); err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, c := range columns(of) {
		out[c.name] = Write(c.shape, c.in(v))
	}
	return out, nil
}

// ObjectTable writes the objects of a list as a table that ObjectEdits reads back; settings have none. objects are as
// JSON has them.
func ObjectTable(list string, objects []json.RawMessage) (string, error) {
	cols := columns(estate.Ref{List: list})
	if cols == nil {
		return "", noSuch(estate.Ref{List: list})
	}
	head := make([]string, len(cols))
	for i, c := range cols {
		head[i] = c.name
	}
	rows := make([][]string, 0, len(objects))
	for _, o := range objects {
		v := map[string]any{}
		if err := decode(o, &v); err != nil {
			return "", err
		}
		row := make([]string, len(cols))
		for i, c := range cols {
			row[i] = Write(c.shape, c.in(v))
		}
		rows = append(rows, row)
	}
	return document.WriteTable(head, rows), nil
}

// ObjectEdits reads a table of a list's objects into edits of a draft. An object that is there changes only in the
// columns that the table has; an empty cell takes the key out; a column remove that says yes takes the object out. A
// name that is not there becomes a new object. Where lines are wrong the edits of the others come with the fault.
func ObjectEdits(list string, find func(name string) json.RawMessage, name, text string) ([]estate.Edit, error) {
	cols := columns(estate.Ref{List: list})
	if cols == nil {
		return nil, noSuch(estate.Ref{List: list})
	}
	key := NameKey(list)
	may := []string{"remove"}
	for _, c := range cols {
		if c.name != key {
			may = append(may, c.name)
		}
	}
	rows, head, err := document.Table(name, text, []string{key}, may, document.MaxRows)
	if err != nil {
		return nil, err
	}
	var out []estate.Edit
	var bad []fault.Detail
	seen := map[string]int{}
	for i, row := range rows {
		place := name + ":" + strconv.Itoa(i+2)
		called := strings.TrimSpace(row[head[key]])
		ref := estate.Ref{List: list, Name: called}
		wrong := func(what, fix string) { bad = append(bad, fault.Detail{Place: place, What: what, Fix: fix}) }
		if at := seen[called]; at > 0 || called == "" {
			if called == "" {
				wrong("the "+estate.Word(list)+" has no "+key, "write one")
				continue
			}
			wrong(fmt.Sprintf("the %s stands there twice, first in line %d", ref, at), "leave one of the two out")
			continue
		}
		seen[called] = i + 2
		if at, ok := head["remove"]; ok {
			if on, ok := flag(row[at]); !ok {
				wrong(fmt.Sprintf("remove: %q is neither yes nor no", row[at]), "write yes or no")
				continue
			} else if on {
				out = append(out, estate.Edit{Ref: ref, Remove: true, From: place})
				continue
			}
		}
		object := find(called)
		before := map[string]any{}
		if object != nil {
			if err := decode(object, &before); err != nil {
				return nil, err
			}
		} else {
			object, _ = json.Marshal(map[string]string{key: called})
		}
		next, _, err := Assign(ref, object, cells(key, cols, head, row, before))
		if err != nil {
			for _, d := range fault.As(err).Details {
				wrong(d.Place+": "+d.What, d.Fix)
			}
			continue
		}
		out = append(out, estate.Edit{Ref: ref, Object: next, From: place})
	}
	if len(bad) > 0 {
		return out, fault.New(fault.Invalid, "table-invalid", bad[0].Fix, "%s: %s", bad[0].Place,
			bad[0].What).With(bad[:min(len(bad), 100)])
	}
	return out, nil
}

// cells turns a line's cells into words of Assign; a cell that says what is there already changes nothing, so that what
// a table has no room for stays.
func cells(key string, cols []column, head map[string]int, row []string, before map[string]any) []string {
	var out []string
	for _, c := range cols {
		at, ok := head[c.name]
		if !ok {
			continue
		}
		if c.name != key && Write(c.shape, c.in(before)) != row[at] {
			out = append(out, c.name+"="+row[at])
		}
	}
	return out
}
