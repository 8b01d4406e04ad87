package estate

import (
	"reflect"
	"testing"
)

func TestRenamed(t *testing.T) {
	t.Parallel()
	d := &Document{Estate: 1,
		Queues: []Queue{{Name: "a", Access: &Access{Allow: []string{"group:Clerks", "user:mira"}}}, {Name: "b"}},
		Grants: []Grant{{Name: "g", Queues: []string{"a"}, To: []string{"group:clerks", "group:tellers", "user:clerks"},
			Except: []string{"machine:till-1"}}, {Name: "h", Queues: []string{"b"}, On: []string{"host:TILL-1",
			"group:clerks"}}}}
	if got := d.Names(); len(got) != 5 || !got["group:clerks"] || !got["machine:till-1"] || !got["user:mira"] {
		t.Errorf("names: %v", got)
	}
	got, n := d.Renamed("group", "CLERKS", "tellers")
	if n != 3 || !reflect.DeepEqual(got.Grants[0].To, []string{"group:tellers", "user:clerks"}) ||
		!reflect.DeepEqual(got.Queues[0].Access.Allow, []string{"group:tellers", "user:mira"}) ||
		got.Grants[1].On[1] != "group:tellers" {
		t.Errorf("%d changed: %+v", n, got)
	}
	if d.Grants[0].To[0] != "group:clerks" || d.Queues[0].Access.Allow[0] != "group:Clerks" {
		t.Error("the document itself was changed")
	}
	if got, n := d.Renamed("machine", "till-1", "till-7"); n != 2 || got.Grants[1].On[0] != "host:till-7" ||
		got.Grants[0].Except[0] != "machine:till-7" {
		t.Errorf("%d changed: %+v", n, got.Grants)
	}
	if _, n := d.Renamed("user", "nobody", "x"); n != 0 {
		t.Errorf("%d changed by a name that nothing names", n)
	}
}
