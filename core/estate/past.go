package estate

import (
	"bytes"
	"encoding/json"
	"maps"
	"slices"
)

// A Past is what one revision did to one object.
type Past struct {
	Revision Revision `json:"revision"`
	Kind     string   `json:"kind" enum:"added,changed,removed"`
	Keys     []string `json:"keys" doc:"Which keys it changed, in alphabetical order; all that it has where it was added."`
}

// NewPast makes one out of an object's text, as documents have it, before and after a revision; either may be empty.
func NewPast(r Revision, before, after []byte) (Past, error) {
	out := Past{Revision: r, Kind: "changed", Keys: []string{}}
	var was, is map[string]json.RawMessage
	switch {
	case len(before) == 0:
		out.Kind = "added"
	case len(after) == 0:
		out.Kind = "removed"
	}
	for text, into := range map[*[]byte]*map[string]json.RawMessage{&before: &was, &after: &is} {
		if len(*text) > 0 {
			if err := json.Unmarshal(*text, into); err != nil {
				return out, err
			}
		}
	}
	all := maps.Clone(was)
	if all == nil {
		all = map[string]json.RawMessage{}
	}
	maps.Copy(all, is)
	for k := range all {
		if out.Kind == "changed" && bytes.Equal(was[k], is[k]) || out.Kind == "removed" {
			continue
		}
		out.Keys = append(out.Keys, k)
	}
	slices.Sort(out.Keys)
	return out, nil
}

// Since gives the revision that made a key what it is, by an object's past, newest first; ok is false where that goes
// back further than the past does.
func Since(past []Past, key string) (r Revision, ok bool) {
	for _, p := range past {
		if slices.Contains(p.Keys, key) {
			return p.Revision, true
		}
	}
	return r, false
}
