package estate

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"cirque/core/fault"
)

// TestSameLooksAtEveryField alters each field of the objects that are compared by hand, nested ones too.
func TestSameLooksAtEveryField(t *testing.T) {
	t.Parallel()
	alter := func(v reflect.Value) {
		switch v.Kind() {
		case reflect.String:
			v.SetString(v.String() + "x")
		case reflect.Int:
			v.SetInt(v.Int() + 1)
		case reflect.Bool:
			v.SetBool(!v.Bool())
		case reflect.Slice:
			v.Set(reflect.Append(v, reflect.Zero(v.Type().Elem())))
		case reflect.Map:
			m := reflect.MakeMap(v.Type())
			m.SetMapIndex(reflect.ValueOf("k"), reflect.New(v.Type().Elem()).Elem())
			v.Set(m)
		case reflect.Pointer:
			v.Set(reflect.New(v.Type().Elem()))
		default:
			t.Fatalf("a field of kind %s", v.Kind())
		}
	}
	check := func(name string, a, b any, same func() bool) {
		if !same() {
			t.Fatalf("%s: two empty ones differ", name)
		}
		for i := range reflect.TypeOf(b).Elem().NumField() {
			f := reflect.ValueOf(b).Elem().Field(i)
			old := reflect.ValueOf(f.Interface())
			alter(f)
			if same() {
				t.Errorf("%s: the field %s is not looked at", name, reflect.TypeOf(b).Elem().Field(i).Name)
			}
			f.Set(old)
		}
		_ = a
	}
	var q1, q2 Queue
	check("queue", &q1, &q2, func() bool { return SameQueue(&q1, &q2) })
	var g1, g2 Grant
	check("grant", &g1, &g2, func() bool { return SameGrant(&g1, &g2) })
	var p1, p2 Path
	check("path", &p1, &p2, func() bool { return SamePath(p1, p2) })
	var a1, a2 Access
	check("access", &a1, &a2, func() bool { return sameAccess(&a1, &a2) })
	var w1, w2 Window
	check("window", &w1, &w2, func() bool { return sameWindow(w1, w2) })
}

// random makes a valid document out of few names, so that two of them differ and agree.
func random(rnd *rand.Rand) *Document {
	d := &Document{Estate: 1, Locations: []Location{{Path: "a"}}}
	if rnd.IntN(2) == 0 {
		d.Locations[0].Title = "Ardholm"
	}
	for i := range 4 {
		if rnd.IntN(3) > 0 {
			d.Queues = append(d.Queues, Queue{Name: fmt.Sprintf("q%d", i), Title: fmt.Sprint(rnd.IntN(2)), Location: "a"})
		}
	}
	for i := range 6 {
		if rnd.IntN(3) > 0 && len(d.Queues) > 0 {
			d.Grants = append(d.Grants, Grant{Name: fmt.Sprintf("g%d", i), Effect: Place,
				Queues: []string{d.Queues[rnd.IntN(len(d.Queues))].Name}, Default: rnd.IntN(3)})
		}
	}
	return d
}

func asJSON(v any) string {
	b, _ := json.Marshal(v)
	return string(b)
}

// TestChangesLead: the changes from a to b, made to a, give b; none lead from a to itself; and the document changed is
// not the one that it was made from.
func TestChangesLead(t *testing.T) {
	t.Parallel()
	for seed := range 500 {
		rnd := rand.New(rand.NewPCG(uint64(seed), 3))
		a, b := random(rnd), random(rnd)
		before := asJSON(a)
		if got := a.With(Changes(a, b)); asJSON(got.Sorted()) != asJSON(b.Sorted()) {
			t.Fatalf("seed %d: %s\nwant %s", seed, asJSON(got), asJSON(b.Sorted()))
		}
		if len(Changes(a, a)) > 0 || asJSON(a) != before {
			t.Fatalf("seed %d: a document differs from itself, or was altered", seed)
		}
	}
}

// TestMergeLosesNothing holds Merge against its definition, object by object.
func TestMergeLosesNothing(t *testing.T) {
	t.Parallel()
	merged, refused := 0, 0
	for seed := range 2000 {
		rnd := rand.New(rand.NewPCG(uint64(seed), 4))
		base := random(rnd)
		change := func() *Document {
			d := base
			other := random(rnd)
			for _, c := range Changes(base, other) {
				if rnd.IntN(4) == 0 {
					d = d.With([]Change{c})
				}
			}
			return d
		}
		mine, theirs := change(), change()
		if len(Integrity(mine))+len(Integrity(theirs)) > 0 {
			continue
		}
		got, conflicts := Merge(base, Changes(base, mine), theirs)
		clash := map[Ref]bool{}
		var refs []Ref
		for _, d := range []*Document{base, mine, theirs} {
			refs = append(refs, d.Refs()...)
		}
		for _, r := range refs {
			b, m, o := asJSON(base.Find(r)), asJSON(mine.Find(r)), asJSON(theirs.Find(r))
			if m != b && o != b && m != o {
				clash[r] = true
			}
			if len(conflicts) > 0 {
				continue
			}
			want := o
			if m != b {
				want = m
			}
			if is := asJSON(got.Find(r)); is != want {
				t.Fatalf("seed %d: %s is %s, want %s", seed, r, is, want)
			}
		}
		for _, c := range conflicts {
			if !clash[c.Ref] && c.Mine != nil {
				t.Fatalf("seed %d: no conflict about %s", seed, c.Ref)
			}
			if c.Mine == nil && len(clash) > 0 {
				t.Fatalf("seed %d: %+v", seed, c)
			}
			delete(clash, c.Ref)
		}
		if len(clash) > 0 {
			t.Fatalf("seed %d: conflicts about %v were passed over", seed, clash)
		}
		if conflicts == nil {
			merged++
		} else {
			refused++
		}
	}
	if merged < 200 || refused < 200 {
		t.Errorf("too dull: %d merged, %d refused", merged, refused)
	}
}

func TestMergeHoldsTogether(t *testing.T) {
	t.Parallel()
	base := &Document{Estate: 1, Queues: []Queue{{Name: "hall-mono"}}}
	mine := []Change{{Ref: Ref{"grants", "g"}, After: &Grant{Name: "g", Effect: Place, Queues: []string{"hall-mono"}}}}
	theirs := base.With([]Change{{Ref: Ref{"queues", "hall-mono"}, Before: &base.Queues[0]}})
	_, conflicts := Merge(base, mine, theirs)
	if len(conflicts) != 1 || conflicts[0].Ref != (Ref{"grants", "g"}) || !strings.Contains(conflicts[0].Says,
		"grant g names the queue hall-mono, which is not there") {
		t.Errorf("%+v", conflicts)
	}
}

func TestDiffsForPeople(t *testing.T) {
	t.Parallel()
	a := &Document{Grants: []Grant{{Name: "g", Effect: Place, Queues: []string{"q", "r"}, To: []string{"group:a"},
		Open: []Window{{From: "08:00", To: "12:00"}}}}}
	b := &Document{Grants: []Grant{{Name: "g", Effect: Offer, Queues: []string{"r", "s"}, Default: 3,
		Open: []Window{{From: "08:00", To: "13:00"}}}}}
	d := Diffs(Changes(a, b))[0]
	want := []FieldDiff{{Key: "effect", Before: "place", After: "offer"}, {Key: "queues", Gains: []string{"s"},
		Loses: []string{"q"}}, {Key: "to", Loses: []string{"group:a"}},
		{Key: "open", Gains: []string{"08:00-13:00"}, Loses: []string{"08:00-12:00"}}, {Key: "default", After: "3"}}
	if !reflect.DeepEqual(d.Fields, want) || d.Kind != "changed" {
		t.Errorf("%+v", d)
	}
}

func TestEdits(t *testing.T) {
	t.Parallel()
	base := &Document{Estate: 1, Locations: []Location{{Path: "a/b"}},
		Queues: []Queue{{Name: "q", Formerly: []string{"old"}}}}
	now := base.With([]Change{{Ref: Ref{"queues", "q"}, Before: &base.Queues[0], After: &Queue{Name: "q", Title: "Now"}}})
	edits := func(text string) []Edit {
		var out []Edit
		if err := json.Unmarshal([]byte(text), &out); err != nil {
			t.Fatal(err)
		}
		return out
	}
	got, err := ParseEdits(edits(
		`[{"list":"queues","name":"r","object":{"name":"r","location":"a"}},{"list":"grants","name":"g","object":{"name":"g","effect":"place","queues":["r","q"]}},{"list":"queues","name":"q","undo":true}]`), now, base, Options{})
	if err != nil {
		t.Fatal(err)
	}
	d := now.With(got)
	if len(d.Queues) != 2 || d.Queues[0].Title != "" || len(d.Grants) != 1 || len(Integrity(d)) > 0 {
		t.Errorf("%s", asJSON(d))
	}
	for text, want := range map[string]string{
		`[{"list":"grants","name":"g","object":{"name":"g","effect":"plaice","queues":["z"]}}]`: `grant g: "plaice" is no value for effect`,
		`[{"list":"queue","name":"g","remove":true}]`:                                           "did you mean queues?",
		`[{"list":"queues","name":"zz","remove":true}]`:                                         "there is no such queue",
		`[{"list":"queues","name":"q"}]`:                                                        "exactly one of the three",
		`[{"list":"queues","name":"q","object":{"name":"x"}}]`:                                  "own name is another",
	} {
		if _, err := ParseEdits(edits(text), now, base, Options{}); err == nil || !strings.Contains(err.Error()+
			fault.As(err).Fix, want) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

func TestDependents(t *testing.T) {
	t.Parallel()
	d := &Document{Estate: 1, Servers: []Server{{Name: "s", Location: "a/b"}}, ServerSets: []ServerSet{{Name: "pair",
		Members: []string{"s"}}}, Queues: []Queue{{Name: "q", Formerly: []string{"old"},
		Paths: []Path{{Set: "pair", At: []string{"location:a"}}}}},
		Grants: []Grant{{Name: "g", Queues: []string{"old"}, At: []string{"location:a/b/c"}},
			{Name: "h", Queues: []string{"within:a/b"}}}}
	for r, want := range map[Ref]string{{"servers", "s"}: "[server set pair]", {"server_sets", "pair"}: "[queue q]",
		{"queues", "q"}: "[grant g]", {"locations", "a/b"}: "[server s grant g grant h]",
		{"locations", "a"}: "[server s queue q grant g grant h]", {"devices", "x"}: "[]"} {
		if got := Dependents(d, r); fmt.Sprint(got) != want {
			t.Errorf("%s: %v, want %s", r, got, want)
		}
	}
	if !slices.Equal(Lists(), []string{"locations", "subnets", "stations", "drivers", "servers", "server_sets", "devices",
		"queues", "grants", "notices", "promises", "charges", "allowances", "settings"}) {
		t.Error(Lists())
	}
}

// TestCreate: an object that is to be new never takes another's place.
func TestCreate(t *testing.T) {
	t.Parallel()
	doc := &Document{Estate: Version, Locations: []Location{{Path: "ard"}}}
	edit := func(path string) []Edit {
		return []Edit{{Ref: Ref{List: "locations", Name: path}, Create: true,
			Object: []byte(`{"path": "` + path + `", "title": "New"}`)}}
	}
	if _, err := ParseEdits(edit("ard"), doc, doc, Options{}); err == nil ||
		!strings.Contains(err.Error(), "a location of that name is there already") {
		t.Error(err)
	}
	if got, err := ParseEdits(edit("bran"), doc, doc, Options{}); err != nil || len(got) != 1 {
		t.Error(got, err)
	}
}
