package stock

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"cirque/core/document"
	"cirque/core/estate"
)

func TestSetView(t *testing.T) {
	t.Parallel()
	doc, err := estate.Parse([]document.File{{Name: "e", Text: `estate: 1
servers: [{name: a, uri: "ipp://a.example/"}, {name: b, uri: "ipp://b.example/"}, {name: c, uri: "ipp://c.example/"}]
server_sets: [{name: pair, style: standby, members: [a, b, c]}]
queues:
  - {name: hall, paths: [{set: pair}]}
  - {name: mail, paths: [{set: pair, remote_name: Mail Room}]}
  - {name: solo, paths: [{server: a}]}
  - {name: old, paths: [{set: pair}], retired: true}
`}}, estate.Options{})
	if err != nil {
		t.Fatal(err)
	}
	hall := Queue{Name: "hall", Model: "Mono 40 PCL6", Device: "ipp://10.1.0.1/", State: "idle", Accepting: true,
		Defaults: map[string]any{"sides": "one-sided"}}
	other := hall
	other.Model, other.Defaults = "Mono 40  PCL6", nil
	readings := map[string]*Server{
		"a": {At: time.Now(), Queues: []Queue{hall, {Name: "Mail Room"}, {Name: "solo"}, {Name: "same"}}},
		"b": {At: time.Now(), Queues: []Queue{other, {Name: "same"}}},
	}
	v := NewSetView(doc, doc.ServerSets[0], func(s string) *Server { return readings[s] })
	var got []string
	for _, r := range v.Rows {
		line := r.Queue + ":"
		for _, c := range r.Cells {
			line += " " + c.State
		}
		got = append(got, line)
	}
	want := "Mail Room: there missing unread; hall: there there unread; solo: there missing unread; same: there " +
		"there unread"
	if strings.Join(got, "; ") != want {
		t.Errorf("%q", got)
	}
	if v.Differ != 3 || v.Missing != 1 || v.Members[2].Read != nil || v.Members[0].Queues != 4 {
		t.Errorf("%+v", v)
	}
	if says := strings.Join(v.Rows[1].Cells[1].Says, "; "); !strings.Contains(says, "driver:") || !strings.Contains(says,
		"default sides: one-sided and unset") {
		t.Error(says)
	}
	if lacks := fmt.Sprint(NewRelied(doc).Lacks(doc.ServerSets[0],
		func(s string) *Server { return readings[s] })); lacks != "[b has no queue Mail Room, on which the set is "+
		"relied on: "+
		"whoever is moved there finds nothing]" {
		t.Error(lacks)
	}
}

// lacksOf reads off the comparison of all queues what members lack.
func lacksOf(v SetView) []Lack {
	var out []Lack
	for i, m := range v.Members {
		l := Lack{Server: m.Name}
		for _, r := range v.Rows {
			if r.Relied && r.Cells[i].State == "missing" {
				l.Queues = append(l.Queues, r.Queue)
			}
		}
		if len(l.Queues) > 0 {
			out = append(out, l)
		}
	}
	return out
}

// TestRelied: on random readings, what is found for less is what the comparison finds.
func TestRelied(t *testing.T) {
	t.Parallel()
	some := 0
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 4))
		doc := &estate.Document{}
		var read = map[string]*Server{}
		for _, s := range []string{"a", "b", "c"} {
			if r.IntN(4) > 0 {
				read[s] = &Server{At: time.Now()}
				for q := range 6 {
					if r.IntN(2) == 0 {
						read[s].Queues = append(read[s].Queues, Queue{Name: fmt.Sprint("q", q)})
					}
				}
			}
		}
		for _, s := range []string{"x", "y"} {
			doc.ServerSets = append(doc.ServerSets, estate.ServerSet{Name: s, Members: []string{"a", "b", "c"}[r.IntN(3):]})
		}
		for q := range 8 {
			doc.Queues = append(doc.Queues, estate.Queue{Name: fmt.Sprint("q", q), Retired: r.IntN(5) == 0,
				Paths: []estate.Path{{Set: []string{"", "x", "y"}[r.IntN(3)], RemoteName: []string{"", "q1", "Q"}[r.IntN(3)]}}})
		}
		relied, of := NewRelied(doc), func(s string) *Server { return read[s] }
		for _, set := range doc.ServerSets {
			got, want := relied.Lacks(set, of), lacksOf(NewSetView(doc, set, of))
			if !reflect.DeepEqual(got, want) {
				t.Fatalf("%d: %v, not %v", seed, got, want)
			}
			some += len(got)
		}
	}
	if some < 100 {
		t.Error("too dull:", some)
	}
}
