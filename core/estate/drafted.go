package estate

import (
	"encoding/json"
	"slices"
)

// A Drafted is an object as a draft has it.
type Drafted struct {
	Ref
	Object json.RawMessage `json:"object" doc:"The object, in the form of the estate."`
	Change string          `json:"change,omitempty" enum:"added,changed" doc:"What the draft does to it; absent where nothing."`
}

// DraftedOf lists the objects of a list as a draft has them, in the order of export; only names some of them. An
// Unknown fault where there is no such list.
func DraftedOf(d DraftSheet, list string, only []string) ([]Drafted, error) {
	t, ok := tableOf(list)
	if !ok {
		return nil, NoList(list)
	}
	how := map[string]string{}
	for _, c := range d.Changes {
		if c.List == list && c.After != nil {
			if how[c.Name] = "changed"; c.Before == nil {
				how[c.Name] = "added"
			}
		}
	}
	out, sorted := []Drafted{}, d.Document.Sorted()
	var err error
	t.each(sorted, func(name string, object any) {
		if err != nil || len(only) > 0 && !slices.Contains(only, name) {
			return
		}
		var b []byte
		b, err = json.Marshal(object)
		out = append(out, Drafted{Ref{list, name}, b, how[name]})
	})
	return out, err
}
