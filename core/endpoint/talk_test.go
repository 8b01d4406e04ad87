package endpoint

import (
	"reflect"
	"strings"
	"testing"
)

func TestTalks(t *testing.T) {
	t.Parallel()
	in := func(queue, user, uri string, own bool) Installed {
		return Installed{Want: Want{Queue: queue, User: user, URI: uri}, Own: own}
	}
	r := Report{Machine: "desk-1", Installed: []Installed{in("b", "mira", "ps/b", true), in("a", "", "ps/a", true),
		in("b", "jonas", "ps/b", true), in("c", "", "d/", true), in("x", "", "ps/x", false)}}
	got := Talks(r, "ard", func(uri string) (string, string) {
		name, _, _ := strings.Cut(uri, "/")
		return map[string]string{"ps": "server", "d": "device"}[name], name
	})
	want := []Talk{{"desk-1", "ard", "device", "d", []string{"c"}}, {"desk-1", "ard", "server", "ps", []string{"a", "b"}}}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("%+v", got)
	}
}
