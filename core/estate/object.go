package estate

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"cirque/core/document"
	"cirque/core/fault"
)

// A Ref names one object of a document: its list, and its name, path or subnet.
type Ref struct {
	List string `json:"list" enum:"locations,subnets,stations,drivers,servers,server_sets,devices,queues,grants,notices,promises,charges,allowances,settings"`
	Name string `json:"name"`
}

// String writes a reference for people, such as "grant booking-hall".
func (r Ref) String() string { return Word(r.List) + " " + r.Name }

// Lists are the lists of objects of a document, in its order.
func Lists() []string {
	out := make([]string, len(tables))
	for i, t := range tables {
		out[i] = t.list()
	}
	return out
}

// Word is what one object of a list is called, such as "server set"; of an unknown list, the list.
func Word(list string) string {
	if t, ok := tableOf(list); ok {
		return t.word()
	}
	return list
}

// NoList says that the estate has no such list: an Unknown fault, with the list that may have been meant.
func NoList(list string) error {
	return fault.New(fault.Unknown, "list-unknown", listMeant(list), "the estate has no list %q", list)
}

func listMeant(list string) string {
	if k := document.Nearest(list, Lists()); k != "" {
		return "did you mean " + k + "?"
	}
	return "write one of " + strings.Join(Lists(), ", ")
}

// A table treats one of a document's lists without knowing what its objects are.
type table interface {
	list() string
	word() string
	each(d *Document, f func(name string, object any))
	find(d *Document, name string) any
	changes(a, b *Document) []Change
	apply(d *Document, changes []Change)
	sort(d *Document)
	equal(a, b any) bool
	decode(name string, raw json.RawMessage) (any, error)
}

// column is a table of objects of one type; objects travel as *T.
type column[T any] struct {
	key, singular string
	of            func(*Document) *[]T
	name          func(*T) string
	less          func(a, b *T) int // nil: by name
	same          func(a, b *T) bool
}

func (c column[T]) list() string { return c.key }
func (c column[T]) word() string { return c.singular }

func (c column[T]) each(d *Document, f func(string, any)) {
	list := *c.of(d)
	for i := range list {
		f(c.name(&list[i]), &list[i])
	}
}

func (c column[T]) find(d *Document, name string) any {
	list := *c.of(d)
	for i := range list {
		if c.name(&list[i]) == name {
			return &list[i]
		}
	}
	return nil
}

func (c column[T]) equal(a, b any) bool {
	x, okX := a.(*T)
	y, okY := b.(*T)
	return okX && okY && c.same(x, y)
}

func (c column[T]) decode(_ string, raw json.RawMessage) (any, error) {
	v := new(T)
	return v, json.Unmarshal(raw, v)
}

func (c column[T]) compare(a, b *T) int {
	if c.less != nil {
		return c.less(a, b)
	}
	return cmp.Compare(c.name(a), c.name(b))
}

// sort brings the list into order, in a copy where it is not. Objects are large, so it is their places that are sorted.
func (c column[T]) sort(d *Document) {
	list := *c.of(d)
	inOrder := true
	for i := 1; i < len(list) && inOrder; i++ {
		inOrder = c.compare(&list[i-1], &list[i]) <= 0
	}
	if inOrder {
		return
	}
	places := make([]int, len(list))
	for i := range places {
		places[i] = i
	}
	slices.SortStableFunc(places, func(a, b int) int { return c.compare(&list[a], &list[b]) })
	out := make([]T, len(list))
	for i, at := range places {
		out[i] = list[at]
	}
	*c.of(d) = out
}

// changes walks two sorted lists side by side.
func (c column[T]) changes(a, b *Document) []Change {
	var out []Change
	x, y := *c.of(a), *c.of(b)
	for i, j := 0, 0; i < len(x) || j < len(y); {
		var order int
		switch {
		case i == len(x):
			order = 1
		case j == len(y):
			order = -1
		default:
			order = c.compare(&x[i], &y[j])
		}
		switch {
		case order < 0:
			out = append(out, Change{Ref: Ref{c.key, c.name(&x[i])}, Before: &x[i]})
			i++
		case order > 0:
			out = append(out, Change{Ref: Ref{c.key, c.name(&y[j])}, After: &y[j]})
			j++
		default:
			if !c.same(&x[i], &y[j]) {
				out = append(out, Change{Ref: Ref{c.key, c.name(&x[i])}, Before: &x[i], After: &y[j]})
			}
			i++
			j++
		}
	}
	return out
}

// apply puts the changes of this list into the document, whose list is copied first.
func (c column[T]) apply(d *Document, changes []Change) {
	after := map[string]*T{}
	for _, ch := range changes {
		if ch.List == c.key {
			after[ch.Name], _ = ch.After.(*T)
		}
	}
	if len(after) == 0 {
		return
	}
	list := c.of(d)
	out := make([]T, 0, len(*list)+len(after))
	for i := range *list {
		v, changed := after[c.name(&(*list)[i])]
		switch {
		case !changed:
			out = append(out, (*list)[i])
		case v != nil:
			out = append(out, *v)
			delete(after, c.name(v))
		}
	}
	for _, v := range after {
		if v != nil { // a new one
			out = append(out, *v)
		}
	}
	if len(out) == 0 {
		out = nil
	}
	*list = out
	c.sort(d)
}

func tableOf(list string) (table, bool) {
	i := slices.IndexFunc(tables, func(t table) bool { return t.list() == list })
	if i < 0 {
		return nil, false
	}
	return tables[i], true
}

// Find gives an object of the document, as a pointer to its type, or nil.
func (d *Document) Find(r Ref) any {
	if t, ok := tableOf(r.List); ok {
		return t.find(d, r.Name)
	}
	return nil
}

// Server gives the print server of a name; nil where there is none.
func (d *Document) Server(name string) *Server {
	s, _ := d.Find(Ref{List: "servers", Name: name}).(*Server)
	return s
}

// Empty gives an object of a list of which nothing is said, as a pointer to its type; nil where there is no such list,
// or no such setting.
func Empty(r Ref) any {
	t, ok := tableOf(r.List)
	if !ok || r.List == (settingsTable{}).list() && !slices.Contains(settingNames(), r.Name) {
		return nil
	}
	v, err := t.decode(r.Name, json.RawMessage("{}"))
	if err != nil {
		return nil
	}
	return v
}

// QueueCalled gives the queue that has a name now, else the one that had it formerly; an Unknown fault, with the
// nearest name, where none has.
func (d *Document) QueueCalled(called string) (*Queue, error) {
	var formerly *Queue
	names := make([]string, 0, len(d.Queues))
	for i := range d.Queues {
		q := &d.Queues[i]
		if q.Name == called {
			return q, nil
		}
		if formerly == nil && slices.Contains(q.Formerly, called) {
			formerly = q
		}
		names = append(names, q.Name)
	}
	if formerly != nil {
		return formerly, nil
	}
	fix := "see cirque queue list"
	if near := document.Nearest(called, names); near != "" {
		fix = fmt.Sprintf("did you mean %q?", near)
	}
	return nil, fault.New(fault.Unknown, "queue-unknown", fix, "the estate has no queue %q", called)
}

// Refs lists every object.
func (d *Document) Refs() []Ref {
	var out []Ref
	for _, t := range tables {
		t.each(d, func(name string, _ any) { out = append(out, Ref{t.list(), name}) })
	}
	return out
}

// An Edit is one object as it is to be, or its removal.
type Edit struct {
	Ref
	Object json.RawMessage `json:"object,omitempty" doc:"The whole object as it is to be."`
	Remove bool            `json:"remove,omitempty" doc:"Takes the object out."`
	Along  bool            `json:"along,omitempty" doc:"With remove: what names it no longer does, and what says nothing more then goes with it."`
	Undo   bool            `json:"undo,omitempty" doc:"Puts the object back as the draft's base has it."`
	// From is where the edit was written, such as the line of a table: problems are told of it, rather than of the object.
	From   string `json:"-"`
	Create bool   `json:"create,omitempty" doc:"The object is new: where one of its name is there already, nothing is changed."`
}

// ParseEdits turns edits into changes against a document; undone objects are as in base. Problems are reported at once,
// as an Invalid fault with code "edit-invalid" whose details say which object. Whether the document as a whole still
// holds together is Integrity's to say.
func ParseEdits(edits []Edit, now, base *Document, opts Options) ([]Change, error) {
	var bad []fault.Detail
	complain := func(r Ref, what, fix string) {
		bad = append(bad, fault.Detail{Place: r.String(), What: what, Fix: fix})
	}
	var out []Change
	removed := map[Ref]bool{}
	var files []document.File
	keys := map[string][]string{} // by place, the keys in the order of their lines
	for _, e := range edits {
		t, ok := tableOf(e.List)
		before := now.Find(e.Ref)
		kinds := 0
		for _, is := range []bool{len(e.Object) > 0, e.Remove, e.Undo} {
			if is {
				kinds++
			}
		}
		switch {
		case !ok:
			complain(e.Ref, "the estate has no list "+e.List, listMeant(e.List))
		case kinds != 1:
			complain(e.Ref, "an edit has an object, or remove, or undo", "give exactly one of the three")
		case e.Create && len(e.Object) > 0 && before != nil:
			complain(e.Ref, "a "+t.word()+" of that name is there already", "choose another name, or change that one")
		case e.Remove && before == nil:
			complain(e.Ref, "there is no such "+t.word(), "see what the draft has")
		case e.Remove:
			removed[e.Ref] = true
			out = append(out, Change{Ref: e.Ref, Before: before})
		case e.Undo:
			out = append(out, Change{Ref: e.Ref, Before: before, After: base.Find(e.Ref)})
		default:
			text, order := e.lines()
			place := cmp.Or(e.From, e.Ref.String())
			files, keys[place] = append(files, document.File{Name: place, Text: text}), order
		}
	}
	if len(files) > 0 {
		opts.Base = now
		doc, err := Parse(files, opts)
		if err != nil {
			for _, d := range fault.As(err).Details {
				var line string
				d.Place, line, _ = cutLast(d.Place, ":")
				if n, err := strconv.Atoi(line); err == nil && n >= 2 && n-2 < len(keys[d.Place]) {
					d.Key = keys[d.Place][n-2]
				}
				bad = append(bad, d)
			}
		} else {
			for _, e := range edits {
				if len(e.Object) == 0 {
					continue
				}
				after := doc.Find(e.Ref)
				if after == nil {
					complain(e.Ref, "the object's own name is another", "name the edit and the object alike; to rename, remove the "+
						"old one and add the new")
					continue
				}
				out = append(out, Change{Ref: e.Ref, Before: now.Find(e.Ref), After: after})
			}
		}
	}
	if len(bad) > 0 {
		return nil, fault.New(fault.Invalid, "edit-invalid", bad[0].Fix, "%s: %s", bad[0].Place, bad[0].What).With(bad)
	}
	return out, nil
}

// lines writes the object as a document, each of its keys on a line of its own from the second line on, and gives them
// in that order, so that a problem's line says which key it is about.
func (e Edit) lines() (text string, keys []string) {
	body := string(e.Object)
	if values, ok := pairsOf(e.Object, &keys); ok {
		parts := make([]string, len(keys))
		for i, k := range keys {
			name, _ := json.Marshal(k) // a text is
			parts[i] = "\n" + string(name) + ":" + strings.ReplaceAll(string(values[i]), "\n", " ")
		}
		body = "{" + strings.Join(parts, ",") + "}"
	}
	name, _ := json.Marshal(e.Name)
	if e.List == (settingsTable{}).list() {
		return fmt.Sprintf(`{"estate":%d,%q:{%s:%s}}`, Version, e.List, name, body), keys
	}
	return fmt.Sprintf(`{"estate":%d,%q:[%s]}`, Version, e.List, body), keys
}

// pairsOf gives the keys and values of a JSON object in their order, also a key that stands there twice.
func pairsOf(raw json.RawMessage, keys *[]string) (values []json.RawMessage, ok bool) {
	d := json.NewDecoder(strings.NewReader(string(raw)))
	if t, err := d.Token(); err != nil || t != json.Delim('{') {
		return nil, false
	}
	for d.More() {
		t, err := d.Token()
		key, text := t.(string)
		var v json.RawMessage
		if err != nil || !text || d.Decode(&v) != nil {
			return nil, false
		}
		*keys, values = append(*keys, key), append(values, v)
	}
	return values, true
}

func cutLast(s, sep string) (before, after string, found bool) {
	if i := strings.LastIndex(s, sep); i >= 0 {
		return s[:i], s[i+len(sep):], true
	}
	return s, "", false
}
