package endpoint

import (
	"cmp"
	"fmt"
	"strings"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
)

// Taken works out for whom an agent asks lineups where somebody signs in: by the way that is set, whether a directory
// has the system's name, and what the person has said of who they are, if anything.
func Taken(from estate.UserFrom, login string, unknown bool, said string) Login {
	l := Login{System: login, User: login, How: "system"}
	switch {
	case from == estate.FromSystem || login == "":
	case said != "" && (from == estate.FromAsking || unknown):
		l.User, l.How = said, "asked"
	case from == estate.FromAsking:
		l.User, l.How = "", "waiting"
	}
	return l
}

// An Identity is whom a machine's agent would take somebody for who signs in there, tried without anybody signing in.
type Identity struct {
	Machine string `json:"machine"`
	Unit    string `json:"unit,omitempty" doc:"The machine's, where a directory has it."`
	Listed  bool   `json:"listed" doc:"A directory has the machine, so grants to its unit and groups count for whoever sits there."`
	Heard   bool   `json:"heard" doc:"Its agent has reported."`
	Login   string `json:"login" doc:"The sign-in name that was tried."`
	Ways    []Way  `json:"ways" doc:"By each way of knowing people, the one that is set first."`
}

// A Way is what one way of knowing people would come to.
type Way struct {
	UserFrom estate.UserFrom `json:"user_from" enum:"system,ask,system-unless-unknown"`
	Set      bool            `json:"set" doc:"It is the way that is set."`
	User     string          `json:"user,omitempty" doc:"For whom lineups would be asked; empty: for nobody until the person has said."`
	How      string          `json:"how" enum:"system,asked,waiting"`
	Known    bool            `json:"known" doc:"A directory has that person."`
	Says     string          `json:"says" doc:"What comes of it, in a sentence."`
}

// Identify tries a sign-in name by each way of knowing people. The report is the machine's last one, or an empty one.
func Identify(d *directory.Directory, set estate.UserFrom, machine, login string, r Report) Identity {
	out := Identity{Machine: machine, Heard: r.Machine != "", Login: login}
	if m, ok := d.Machine(machine); ok {
		out.Listed, out.Unit = true, m.Unit
	}
	said := ""
	for _, l := range r.Logins {
		if l.How == "asked" && name.Fold(l.System) == name.Fold(login) {
			said = l.User
		}
	}
	_, known := d.User(login)
	for _, from := range []estate.UserFrom{estate.SystemUnlessUnknown, estate.FromSystem, estate.FromAsking} {
		l := Taken(from, login, !known, said)
		u, there := d.User(l.User)
		w := Way{UserFrom: from, Set: from == set, User: l.User, How: l.How, Known: there}
		w.Says = saysOf(d, from, l, cmp.Or(u.DisplayName, u.Name), there)
		if w.Set {
			out.Ways = append([]Way{w}, out.Ways...)
		} else {
			out.Ways = append(out.Ways, w)
		}
	}
	return out
}

// saysOf says what comes of it that an agent takes a sign-in for somebody.
func saysOf(d *directory.Directory, from estate.UserFrom, l Login, full string, known bool) string {
	const onlyAll = "they receive only what everybody does"
	switch {
	case l.How == "waiting":
		return "the person is asked who they are, with cirque-agent say-who; until then " + onlyAll
	case known && l.How == "asked":
		return "they are " + full + ", as they said"
	case known:
		return "they are " + full
	case len(d.Records().Users) == 0:
		return "no directory has been read here, so " + onlyAll
	}
	says := fmt.Sprintf("no directory here has %s, so %s", l.User, onlyAll)
	if from == estate.FromSystem {
		says += ", and cannot say who they are"
	} else {
		says += " until they say who they are, with cirque-agent say-who"
	}
	without := bare(l.User)
	if u, ok := d.User(without); ok {
		return says + fmt.Sprintf("; without %s it is %s, and may be linked: cirque directory link %s %s", domainOf(l.User),
			u.Name, u.Name, "'"+l.User+"'")
	}
	if near := d.Near("user", without); len(near) > 0 {
		says += "; near it: " + strings.Join(near, ", ")
	}
	return says
}

// bare is a sign-in name without where it comes from.
func bare(login string) string {
	if _, called, ok := strings.Cut(login, `\`); ok {
		return called
	}
	called, _, _ := strings.Cut(login, "@")
	return called
}
