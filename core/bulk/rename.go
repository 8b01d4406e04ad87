package bulk

import (
	"encoding/json"
	"slices"

	"cirque/core/estate"
)

// NewNames says what is to be called otherwise: queues by a pattern, or one object of any list.
type NewNames struct {
	Queues  []string
	Pattern string
	Of      estate.Ref // where Pattern is empty
	To      string
}

// Edits gives the edits that rename, and who is called what then. Of an object, Also counts those that name it.
func (n NewNames) Edits(doc *estate.Document) ([]estate.Edit, []Renaming, error) {
	if n.Of.List == "" {
		return Rename(doc, n.Queues, n.Pattern)
	}
	if n.Of.List == "queues" {
		edits, list, err := Rename(doc, []string{n.Of.Name}, n.To)
		for i := range list {
			list[i].Also = len(estate.Dependents(doc, estate.Ref{List: "queues", Name: list[i].From}))
		}
		return edits, list, err
	}
	renamed, err := doc.Rename(n.Of, n.To)
	if err != nil {
		return nil, nil, err
	}
	var edits []estate.Edit
	for _, c := range estate.Changes(doc, renamed) {
		e := estate.Edit{Ref: c.Ref, Remove: c.After == nil}
		if c.After != nil {
			if e.Object, err = json.Marshal(c.After); err != nil {
				return nil, nil, err
			}
		}
		edits = append(edits, e)
	}
	// What is new first, so that nothing names what is not there.
	slices.SortStableFunc(edits, func(a, b estate.Edit) int {
		switch {
		case a.Remove == b.Remove:
			return 0
		case a.Remove:
			return 1
		}
		return -1
	})
	return edits, []Renaming{{From: n.Of.Name, To: n.To, Also: len(estate.Dependents(doc, n.Of))}}, nil
}
