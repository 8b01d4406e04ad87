package endpoint

import (
	"slices"
	"testing"
)

// TestRedirects: what prints elsewhere afterwards is told once for each person, and nothing else is.
func TestRedirects(t *testing.T) {
	t.Parallel()
	step := func(do, queue, user string) Step { return Step{do, Want{Queue: queue, User: user}} }
	hall := map[string]string{"mira": "hall", "jonas": "hall"}
	old := map[string]string{"mira": "old"}
	cases := map[string]struct {
		steps    []Step
		defaults map[string]string
		want     []Redirect
	}{
		"nothing":          {nil, old, nil},
		"a queue more":     {[]Step{step("add", "hall", "Mira")}, old, nil},
		"another default":  {[]Step{step("default", "hall", "Mira")}, old, []Redirect{{"Mira", "old", "hall"}}},
		"a first default":  {[]Step{step("default", "hall", "Mira")}, nil, []Redirect{{"Mira", "", "hall"}}},
		"the same default": {[]Step{step("default", "hall", "Mira")}, map[string]string{"mira": "hall"}, nil},
		"its queue goes":   {[]Step{step("remove", "hall", "Mira")}, hall, []Redirect{{"mira", "hall", ""}}},
		"everybody's queue goes": {[]Step{step("remove", "hall", "")}, hall,
			[]Redirect{{"jonas", "hall", ""}, {"mira", "hall", ""}}},
		"it goes for another one": {[]Step{step("default", "new", "Mira"), step("remove", "hall", "")},
			map[string]string{"mira": "hall"}, []Redirect{{"Mira", "hall", "new"}}},
	}
	for name, c := range cases {
		if got := Redirects(c.steps, c.defaults); !slices.Equal(got, c.want) {
			t.Errorf("%s: %+v", name, got)
		}
	}
	const want = "Mira prints to what the system picks where nobody chooses, and to hall from then on"
	if got := (Redirect{"Mira", "", "hall"}).String(); got != want {
		t.Error(got)
	}
}

// TestTwice: a queue of somebody else's that leads to the same place is told; one's own and one elsewhere are not.
func TestTwice(t *testing.T) {
	t.Parallel()
	at := func(queue, uri string, own bool) Installed {
		return Installed{Want: Want{Queue: queue, URI: uri}, Own: own}
	}
	installed := []Installed{at("by-hand", "ipp://d/", false), at("old", "ipp://d/", true), at("far", "ipp://e/", false),
		at("none", "", false)}
	steps := []Step{{"add", Want{Queue: "hall", URI: "ipp://d/"}},
		{"add", Want{Queue: "hall", User: "mira", URI: "ipp://d/"}},
		{"remove", Want{Queue: "by", URI: "ipp://e/"}}, {"add", Want{Queue: "empty"}}}
	if got := Twice(steps, installed); !slices.Equal(got, []Beside{{"hall", "by-hand"}}) {
		t.Errorf("%+v", got)
	}
}

// TestFormer: the first default that somebody had of their own is kept as their way back, and none of ours.
func TestFormer(t *testing.T) {
	t.Parallel()
	m := Memory{Defaults: map[string]string{}, Own: []Key{{"", "ours"}}}
	for _, s := range [][3]string{{"Mira", "hall", "old"}, {"mira", "yard", "hall"}, {"mira", "hall", "later"},
		{"jonas", "hall", ""}, {"ida", "hall", "ours"}} {
		m.Set(s[0], s[1], s[2])
	}
	if len(m.Former) != 1 || m.Former["mira"] != "old" || m.Defaults["mira"] != "hall" || m.Defaults["ida"] != "hall" {
		t.Errorf("%+v", m)
	}
}
