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

// Add puts a source's row back among the records.
func (r *Records) Add(row Row, source string) error {
	switch row.Kind {
	case "user":
		return add(&r.Users, User{Source: source}, row)
	case "group":
		return add(&r.Groups, Group{Source: source}, row)
	}
	return add(&r.Machines, Machine{Source: source}, row)
}

func add[T any](list *[]T, v T, row Row) error {
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
	return string(a) == string(b) || json.Unmarshal(a, &x) == nil && json.Unmarshal(b, &y) == nil &&
		reflect.DeepEqual(x, y)
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
	Held     string    `json:"held,omitempty" doc:"Why nothing was applied: too much would disappear."`
	Dry      bool      `json:"dry,omitempty" doc:"Nothing was applied: it was only asked what would be."`
	Renames  []Rename  `json:"renames,omitempty" doc:"What has another name now and is named by the estate."`
}

// Taking says how rows are taken in.
type Taking struct {
	Author string
	Share  int  // of the removal limit, in percent; 100 for none
	Dry    bool // only say what would be
	Quiet  bool // what alters nothing is no event
	Kept   bool // only while it is a source that is read
	// Named says whether the estate names an object; renames of such are kept. nil keeps none.
	Named func(kind, name string) bool
}
