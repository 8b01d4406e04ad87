package directory

import (
	"cmp"
	"encoding/json"
	"reflect"
	"time"

	"cirque/core/name"
)

// A Row is one user, group or machine of one source, in the form in which directories are kept.
type Row struct {
	Kind       string // user, group or machine
	ExternalID string // the source's own id; the folded name where it has none
	Name       string
	Attributes json.RawMessage // the whole record
}

// Rows turns records into rows.
func (r Records) Rows() []Row {
	out := make([]Row, 0, len(r.Users)+len(r.Groups)+len(r.Machines))
	row := func(kind, id, called string, record any) {
		b, _ := json.Marshal(record) // plain strings cannot fail
		out = append(out, Row{kind, cmp.Or(id, name.Fold(called)), called, b})
	}
	for _, u := range r.Users {
		row("user", u.ExternalID, u.Name, u)
	}
	for _, g := range r.Groups {
		row("group", g.ExternalID, g.Name, g)
	}
	for _, m := range r.Machines {
		row("machine", m.ExternalID, m.Name, m)
	}
	return out
}

// Add puts a row back among the records.
func (r *Records) Add(row Row) error {
	switch row.Kind {
	case "user":
		return add(&r.Users, row)
	case "group":
		return add(&r.Groups, row)
	}
	return add(&r.Machines, row)
}

func add[T any](list *[]T, row Row) error {
	var v T
	err := json.Unmarshal(row.Attributes, &v)
	*list = append(*list, v)
	return err
}

// Changes are what an import alters.
type Changes struct {
	Added, Changed, Removed []Row
}

// Compare finds what leads from the rows that are kept to those that are wanted, by kind and external id.
func Compare(have, want []Row) Changes {
	type key struct{ kind, id string }
	old := make(map[key]Row, len(have))
	for _, r := range have {
		old[key{r.Kind, r.ExternalID}] = r
	}
	var c Changes
	for _, r := range want {
		k := key{r.Kind, r.ExternalID}
		before, ok := old[k]
		delete(old, k)
		switch {
		case !ok:
			c.Added = append(c.Added, r)
		case !sameJSON(before.Attributes, r.Attributes):
			c.Changed = append(c.Changed, r)
		}
	}
	for _, r := range have {
		if _, left := old[key{r.Kind, r.ExternalID}]; left {
			c.Removed = append(c.Removed, r)
		}
	}
	return c
}

// sameJSON compares values, not texts: the store keeps neither spaces nor the order of keys.
func sameJSON(a, b json.RawMessage) bool {
	var x, y any
	return string(a) == string(b) || json.Unmarshal(a, &x) == nil && json.Unmarshal(b, &y) == nil && reflect.DeepEqual(x, y)
}

// An Import says what taking in a source did.
type Import struct {
	Source   string    `json:"source"`
	At       time.Time `json:"at"`
	Users    int       `json:"users"`
	Groups   int       `json:"groups"`
	Machines int       `json:"machines"`
	Added    int       `json:"added"`
	Changed  int       `json:"changed"`
	Removed  int       `json:"removed"`
	Notes    []string  `json:"notes" doc:"Such as groups that contain themselves."`
}
