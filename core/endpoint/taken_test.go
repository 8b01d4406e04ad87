package endpoint

import (
	"strings"
	"testing"

	"cirque/core/directory"
	"cirque/core/estate"
)

func TestIdentify(t *testing.T) {
	t.Parallel()
	d := directory.New(directory.Records{Users: []directory.User{{Name: "mira.solvang", DisplayName: "Mira Solvang"}},
		Machines: []directory.Machine{{Name: "desk-1", Unit: "skerry/yard"}}})
	asked := Report{Machine: "desk-1", Logins: []Login{{System: "msol", User: "mira.solvang", How: "asked"}}}
	for says, c := range map[string]struct {
		d     *directory.Directory
		set   estate.UserFrom
		login string
		r     Report
		user  string
		known bool
		want  string
	}{
		"known": {d, estate.FromSystem, "Mira.Solvang", Report{}, "Mira.Solvang", true, "they are Mira Solvang"},
		"unknown, and cannot say": {d, estate.FromSystem, `SKERRY\msol`, Report{}, `SKERRY\msol`, false,
			"no directory here has SKERRY\\msol, so they receive only what everybody does, and cannot say who they are"},
		"known without its domain": {d, estate.FromSystem, `SKERRY\mira.solvang`, Report{}, `SKERRY\mira.solvang`, false,
			`without SKERRY it is mira.solvang, and may be linked: cirque directory link mira.solvang`},
		"unknown, and may say": {d, estate.SystemUnlessUnknown, "mira.solvan", Report{}, "mira.solvan", false,
			"until they say who they are, with cirque-agent say-who; near it: mira.solvang"},
		"said": {d, estate.SystemUnlessUnknown, "MSOL", asked, "mira.solvang", true,
			"they are Mira Solvang, as they said"},
		"said, and not asked for": {d, estate.FromSystem, "msol", asked, "msol", false, "no directory here has msol"},
		"waits":                   {d, estate.FromAsking, "mira.solvang", Report{}, "", false, "is asked who they are"},
		"nothing is read": {directory.New(directory.Records{}), estate.FromSystem, "msol", Report{}, "msol", false,
			"no directory has been read here"},
	} {
		got := Identify(c.d, c.set, "desk-1", c.login, c.r)
		w := got.Ways[0]
		if len(got.Ways) != 3 || !w.Set || w.UserFrom != c.set || w.User != c.user || w.Known != c.known ||
			!strings.Contains(w.Says, c.want) {
			t.Errorf("%s: %+v", says, got)
		}
		if got.Listed != (c.d == d) || got.Heard != (c.r.Machine != "") {
			t.Errorf("%s: %+v", says, got)
		}
	}
}
