package endpoint

import (
	"fmt"
	"strings"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/name"
)

// Who is what an agent is told of how it is to know its people.
type Who struct {
	UserFrom estate.UserFrom `json:"user_from" enum:"system,ask,system-unless-unknown"`
	Notice   string          `json:"notice,omitempty" doc:"What a person reads who is asked."`
	Unknown  []string        `json:"unknown" doc:"Of the names asked about, those that no directory here has."`
}

// A Login is one sign-in at an endpoint: the system's name, and the person for whom its lineup is asked.
type Login struct {
	System string `json:"system" maxLength:"256" doc:"As the operating system has it."`
	User   string `json:"user,omitempty" maxLength:"256" doc:"For whom lineups are asked; empty while the person has not said."`
	How    string `json:"how" enum:"system,asked,waiting"`
}

// People says in words how an endpoint knows its people, where that does not work out: which names no directory has,
// where they seem to come from, and what would mend it. It is empty where all is well.
func People(d *directory.Directory, set estate.AgentSettings, r Report) []string {
	out := []string{}
	var unknown, domains []string
	known := 0
	logins := r.Logins
	if len(logins) == 0 { // an older agent
		for _, q := range r.Contexts {
			if q.User != nil {
				logins = append(logins, Login{System: *q.User, User: *q.User, How: "system"})
			}
		}
	}
	for _, l := range logins {
		if l.How == "waiting" {
			out = append(out, fmt.Sprintf("%s has not said yet who they are, so only what everybody at this machine has is "+
				"there: cirque-agent say-who, at the machine", l.System))
			continue
		}
		if d.Listed(d.UserID(name.Fold(l.User))) {
			known++
			continue
		}
		unknown = append(unknown, l.User)
		if domain := domainOf(l.User); domain != "" && !contains(domains, domain) {
			domains = append(domains, domain)
		}
	}
	if len(unknown) == 0 {
		return out
	}
	from := ""
	if len(domains) > 0 {
		from = " (" + strings.Join(domains, ", ") + ")"
	}
	switch {
	case len(d.Records().Users) == 0:
		out = append(out, "no directory has been read here, so nobody is known: import one, or add a source")
	case known == 0:
		fix := "add that source, link the names with cirque directory link, or have people asked: settings.agents.user_from"
		if set.UserFrom == estate.SystemUnlessUnknown {
			fix = "add that source, link the names with cirque directory link, or let the person say who they are: " +
				"cirque-agent say-who, at the machine"
		}
		out = append(out, fmt.Sprintf("this machine's sign-in names come from a source%s that no directory here knows "+
			"(%s), so they receive only what everybody does; %s", from, strings.Join(unknown, ", "), fix))
	default:
		out = append(out, fmt.Sprintf("no directory here knows %s%s, so they receive only what everybody does; link the "+
			"name with somebody: cirque directory link NAME %s", strings.Join(unknown, ", "), from, unknown[0]))
	}
	return out
}

// domainOf gives what a sign-in name says of where it comes from, before a backslash or after an at sign.
func domainOf(called string) string {
	if domain, _, ok := strings.Cut(called, `\`); ok {
		return domain
	}
	if _, domain, ok := strings.Cut(called, "@"); ok {
		return domain
	}
	return ""
}

func contains(list []string, s string) bool {
	for _, v := range list {
		if name.Fold(v) == name.Fold(s) {
			return true
		}
	}
	return false
}
