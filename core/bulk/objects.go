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

// columns are those of a table of a list: all keys, those of groups after a dot.
func columns(list string) []column {
	var out []column
	for _, k := range Keys(estate.Ref{List: list}) {
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

// ObjectTable writes the objects of a list as a table that ObjectEdits reads back; settings have none. objects are as
// JSON has them.
func ObjectTable(list string, objects []json.RawMessage) (string, error) {
	cols := columns(list)
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
			outer, inner, within := strings.Cut(c.name, ".")
			value := v[outer]
			if within {
				m, _ := value.(map[string]any)
				value = m[inner]
			}
			row[i] = Write(c.shape, value)
		}
		rows = append(rows, row)
	}
	return document.WriteTable(head, rows), nil
}

// ObjectEdits reads a table of a list's objects into edits of a draft. An object that is there changes only in the
// columns that the table has; an empty cell takes the key out; a column remove that says yes takes the object out. A
// name that is not there becomes a new object. Where lines are wrong the edits of the others come with the fault.
func ObjectEdits(list string, find func(name string) json.RawMessage, name, text string) ([]estate.Edit, error) {
	cols := columns(list)
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
		next, _, err := Assign(ref, object, cells(cols, head, row, before))
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
func cells(cols []column, head map[string]int, row []string, before map[string]any) []string {
	var out []string
	for _, c := range cols {
		at, ok := head[c.name]
		if !ok {
			continue
		}
		outer, inner, within := strings.Cut(c.name, ".")
		was := before[outer]
		if within {
			m, _ := was.(map[string]any)
			was = m[inner]
		}
		if c.name != "name" && c.name != "path" && c.name != "cidr" && Write(c.shape, was) != row[at] {
			out = append(out, c.name+"="+row[at])
		}
	}
	return out
}
