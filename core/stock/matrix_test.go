package stock

import (
	"fmt"
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
	if lacks := fmt.Sprint(v.Lacks()); lacks != "[b has no queue Mail Room, on which the set is relied on: "+
		"whoever is moved there finds nothing]" {
		t.Error(lacks)
	}
}
