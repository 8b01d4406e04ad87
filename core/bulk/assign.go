package bulk

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
)

// Assign changes an object of the estate key by key and gives it as it is then; object is empty for a new one. Each
// word is KEY=VALUE, KEY+=VALUE or KEY-=VALUE: the whole value, or entries that are added or taken out; KEY= takes the
// key out, and KEY="" says that a text is empty. A key within another stands after a dot, such as access.allow or
// defaults.sides. emptied are the keys that had entries and have none now, or no longer hold more than half of over
// ten. What is wrong is told at once, as an Invalid fault with code "assignment-invalid" whose details name the word.
// Whether the values are right is for whoever reads the object to say.
func Assign(of estate.Ref, object json.RawMessage, words []string) (next json.RawMessage, emptied []string, err error) {
	keys := Keys(of)
	if keys == nil {
		return nil, nil, noSuch(of)
	}
	v := map[string]any{}
	if len(object) > 0 {
		if err := decode(object, &v); err != nil {
			return nil, nil, err
		}
	}
	a := assigning{what: of}
	for _, w := range words {
		a.word(keys, v, w)
	}
	if len(a.bad) > 0 {
		return nil, nil, fault.New(fault.Invalid, "assignment-invalid", a.bad[0].Fix, "%s: %s", a.bad[0].Place,
			a.bad[0].What).With(a.bad)
	}
	next, err = json.Marshal(v)
	return next, a.emptied, err
}

func decode(raw json.RawMessage, into any) error {
	d := json.NewDecoder(strings.NewReader(string(raw)))
	d.UseNumber()
	return d.Decode(into)
}

// noSuch says that there is no such list, or no such setting.
func noSuch(of estate.Ref) error {
	if of.List == "settings" {
		return fault.New(fault.Unknown, "setting-unknown", near(of.Name, estate.SettingNames()), "there is no setting %q",
			of.Name)
	}
	return estate.NoList(of.List)
}

func near(word string, known []string) string {
	if k := document.Nearest(word, known); k != "" {
		return "did you mean " + k + "?"
	}
	return "write one of " + strings.Join(known, ", ")
}

type assigning struct {
	what    estate.Ref
	bad     []fault.Detail
	emptied []string
}

func (a *assigning) wrong(place, fix, format string, args ...any) {
	a.bad = append(a.bad, fault.Detail{Place: place, What: fmt.Sprintf(format, args...), Fix: fix})
}

// about complains about a word.
func (a *assigning) about(word string) func(fix, format string, args ...any) {
	return func(fix, format string, args ...any) { a.wrong(word, fix, format, args...) }
}

func (a *assigning) word(keys []Key, v map[string]any, word string) {
	path, value, ok := strings.Cut(word, "=")
	if !ok {
		a.wrong(word, "write KEY=VALUE, KEY+=VALUE or KEY-=VALUE", "it has no value")
		return
	}
	how := byte('=')
	if n := len(path); n > 0 && (path[n-1] == '+' || path[n-1] == '-') {
		path, how = path[:n-1], path[n-1]
	}
	first, rest, within := strings.Cut(path, ".")
	k := find(keys, first)
	switch {
	case k == nil:
		a.wrong(word, near(first, names(keys)), "a %s has no key %q", estate.Word(a.what.List), first)
	case first == NameKey(a.what.List):
		a.wrong(word, "copy it under the new name and remove the old one", "its name stays")
	case within && (k.Shape == Group || k.Shape == Pairs):
		inner, _ := v[first].(map[string]any)
		if inner == nil {
			inner = map[string]any{}
		}
		if k.Shape == Group {
			a.set(find(k.Keys, rest), names(k.Keys), inner, rest, word, how, value)
		} else if inner[rest] = scalar(value, inner[rest]); value == "" || how == '-' {
			delete(inner, rest)
		}
		if v[first] = inner; len(inner) == 0 {
			delete(v, first)
		}
	case within:
		a.wrong(word, "write "+first+"=VALUE", "%s has no keys of its own", first)
	default:
		a.set(k, nil, v, first, word, how, value)
	}
}

// set gives one key its value.
func (a *assigning) set(k *Key, among []string, v map[string]any, name, word string, how byte, value string) {
	if k == nil {
		a.wrong(word, near(name, among), "there is no key %q", name)
		return
	}
	if how != '=' && k.Shape != Words && k.Shape != Paths && k.Shape != Windows && k.Shape != Pairs {
		a.wrong(word, "write "+name+"="+value, "%s has one value, to which nothing is added", name)
		return
	}
	var next any // nil takes the key out
	switch k.Shape {
	case Text:
		if value == nothing {
			next = ""
		} else if value != "" {
			next = value
		}
	case Group:
		if value != "" {
			var keys []string
			for _, inner := range k.Keys {
				keys = append(keys, name+"."+inner.Name)
			}
			a.wrong(word, "write "+strings.Join(keys, " or "), "%s has keys of its own", name)
		}
		if v[name] != nil {
			a.emptied = append(a.emptied, name)
		}
	case Flag:
		on, ok := flag(value)
		if !ok {
			a.wrong(word, "write yes or no", "%q is neither yes nor no", value)
		}
		if on {
			next = true
		}
	case Number:
		if value != "" {
			next = json.Number(value)
			if !digits(value) {
				a.wrong(word, "write a whole number", "%q is no number", value)
			}
		}
	case Pairs:
		before, _ := v[name].(map[string]any)
		if after := changedPairs(before, keyed(value, a.about(word)), how); len(after) > 0 {
			next = after
		}
	case Words, Paths, Windows:
		before, _ := v[name].([]any)
		after := changedEntries(before, entries(k.Shape, value, a.about(word)), how)
		if before != nil && (len(after) == 0 || len(before) > 10 && 2*len(after) < len(before)) {
			a.emptied = append(a.emptied, name)
		}
		if len(after) > 0 {
			next = after
		}
	}
	if v[name] = next; next == nil {
		delete(v, name)
	}
}

func changedEntries(before, list []any, how byte) []any {
	if how == '=' {
		return list
	}
	same := func(x, y any) bool {
		if m, ok := x.(map[string]any); ok { // a path keeps its conditions, which have no room here
			n, _ := y.(map[string]any)
			m, n = maps.Clone(m), maps.Clone(n)
			for _, c := range []string{"at", "sessions"} {
				delete(m, c)
				delete(n, c)
			}
			return maps.EqualFunc(m, n, func(a, b any) bool { return fmt.Sprint(a) == fmt.Sprint(b) })
		}
		return x == y
	}
	out := slices.Clone(before)
	for _, e := range list {
		is := func(o any) bool { return same(o, e) }
		if how == '-' {
			out = slices.DeleteFunc(out, is)
		} else if !slices.ContainsFunc(out, is) {
			out = append(out, e)
		}
	}
	return out
}

func changedPairs(before map[string]any, pairs map[string]string, how byte) map[string]any {
	out := map[string]any{}
	if how != '=' {
		maps.Copy(out, before)
	}
	for k, v := range pairs {
		if out[k] = scalar(v, before[k]); how == '-' {
			delete(out, k)
		}
	}
	return out
}
