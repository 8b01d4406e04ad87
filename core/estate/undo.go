package estate

import (
	"bytes"
	"encoding/json"
	"fmt"

	"cirque/core/fault"
)

// UndoOf gives the edit that takes one change of the past back: what a revision did to an object, from before to after,
// is undone in the document as it is now. What has been done to other keys since stays; where a key has changed again
// since, it is a Conflict fault that says which. An Unknown fault where the revision did nothing to the object.
func UndoOf(r Ref, before, after, now *Document) (Edit, error) {
	was, became, is := before.Find(r), after.Find(r), now.Find(r)
	edit := Edit{Ref: r}
	switch {
	case SameObject(r.List, was, became):
		return edit, fault.New(fault.Unknown, "change-unknown", "see what it changed: cirque diff", "the revision did "+
			"nothing to the %s", r)
	case SameObject(r.List, is, became):
		return edit, edit.becomes(was)
	case SameObject(r.List, is, was):
		return edit, fault.New(fault.Conflict, "undone-already", "nothing is to be done", "the %s is as it was before "+
			"already", r)
	case is == nil || was == nil || became == nil:
		return edit, fault.New(fault.Conflict, "changed-since", "look at the later revisions: cirque history", "the %s %s "+
			"since", r, map[bool]string{true: "was taken out", false: "was changed"}[is == nil])
	}
	keys, err := fieldsOf(was, became, is)
	if err != nil {
		return edit, err
	}
	var bad []fault.Detail
	for key := range union(keys[0], keys[1]) {
		if bytes.Equal(keys[0][key], keys[1][key]) {
			continue
		}
		if !bytes.Equal(keys[2][key], keys[1][key]) {
			bad = append(bad, fault.Detail{Place: r.String() + ", " + key, What: "it has been changed again since",
				Fix: "set it as it is to be"})
			continue
		}
		if keys[2][key] = keys[0][key]; keys[0][key] == nil {
			delete(keys[2], key)
		}
	}
	if len(bad) > 0 {
		return edit, fault.New(fault.Conflict, "changed-since", bad[0].Fix, "%s: %s", bad[0].Place, bad[0].What).With(bad)
	}
	edit.Object, err = json.Marshal(keys[2])
	return edit, err
}

// QueueAs is the edit by which a queue becomes as it is given, under the name that it has.
func QueueAs(q Queue) (e Edit, err error) {
	e.Ref = Ref{List: "queues", Name: q.Name}
	return e, e.becomes(q)
}

// becomes has the edit put an object in place; nil takes it out.
func (e *Edit) becomes(v any) (err error) {
	if v == nil {
		e.Remove = true
		return nil
	}
	e.Object, err = json.Marshal(v)
	return err
}

// fieldsOf gives objects by their keys.
func fieldsOf(objects ...any) ([]map[string]json.RawMessage, error) {
	out := make([]map[string]json.RawMessage, len(objects))
	for i, v := range objects {
		b, err := json.Marshal(v)
		if err != nil {
			return nil, err
		}
		if err := json.Unmarshal(b, &out[i]); err != nil {
			return nil, fmt.Errorf("an object of the estate has no keys: %w", err)
		}
	}
	return out, nil
}

func union(a, b map[string]json.RawMessage) map[string]bool {
	out := map[string]bool{}
	for k := range a {
		out[k] = true
	}
	for k := range b {
		out[k] = true
	}
	return out
}
