package endpoint

import (
	"strings"
	"testing"

	"cirque/core/directory"
	"cirque/core/estate"
)

func TestPeople(t *testing.T) {
	t.Parallel()
	d := directory.New(directory.Records{Users: []directory.User{{Name: "mira"}}})
	login := func(how string, users ...string) Report {
		var r Report
		for _, u := range users {
			l := Login{System: u, User: u, How: how}
			if how == "waiting" {
				l.User = ""
			}
			r.Logins = append(r.Logins, l)
		}
		return r
	}
	ask := estate.AgentSettings{UserFrom: estate.SystemUnlessUnknown}
	for says, c := range map[string]struct {
		d    *directory.Directory
		set  estate.AgentSettings
		r    Report
		want string
	}{
		"known":  {d, ask, login("system", "MIRA"), ""},
		"nobody": {d, ask, Report{}, ""},
		"another source": {d, ask, login("system", `SKERRY\msol`, `skerry\olav`), "this machine's sign-in names come from " +
			"a source (SKERRY) that no directory here knows"},
		"can say so": {d, ask, login("system", "msol"), "cirque-agent say-who"},
		"cannot say so": {d, estate.AgentSettings{UserFrom: estate.FromSystem}, login("system", "msol@yard.example"),
			"settings.agents.user_from"},
		"one of two": {d, ask, login("system", "mira", "temp"), "no directory here knows temp"},
		"nothing is read": {directory.New(directory.Records{}), ask, login("system", "mira"),
			"no directory has been read here"},
		"waiting": {d, ask, login("waiting", "mira"), "has not said yet who they are"},
	} {
		got := People(c.d, c.set, c.r)
		if got == nil || (c.want == "") != (len(got) == 0) || !strings.Contains(strings.Join(got, "\n"), c.want) {
			t.Errorf("%s: %q", says, got)
		}
	}
}
