// Package rehearse compares two worlds, person by person and machine by machine: who gains and loses which queues,
// whose default, path or driver changes, who ends with nothing. It computes; parallel work and progress are the
// caller's, who asks for ranges of cases and merges what comes back.
package rehearse

import (
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/name"
)

// A Case is one context that is looked at, and whose it is.
type Case struct {
	Kind    string // user or machine
	Name    string
	Context lineup.Context
	Seen    bool // reported by an endpoint; else nothing is known but who it is
}

// Cases are all cases of a directory, in a stable order with those of one person together. They may be used for any
// number of rehearsals.
type Cases struct {
	List   []Case
	byUser map[string][]int32 // by the folded user of the context
}

// NewCases lists every user and machine that the directory knows and every station, each in the contexts in which it
// was last seen, or by itself where it was not. Contexts in which somebody was seen whom the directory does not know
// come last.
func NewCases(d *directory.Directory, stations []estate.Station, seen []lineup.Context) *Cases {
	records := d.Records()
	// lead gives the name of whoever has a name.
	lead := func(called string) string {
		if u, ok := d.Person(called); ok {
			return u.Name
		}
		return called
	}
	byUser, byMachine := map[string][]lineup.Context{}, map[string][]lineup.Context{}
	for _, c := range seen {
		if c.User != "" {
			folded := name.Fold(lead(c.User))
			byUser[folded] = append(byUser[folded], c)
		} else if c.Machine != "" {
			byMachine[name.Fold(c.Machine)] = append(byMachine[name.Fold(c.Machine)], c)
		}
	}
	n := len(records.Users) + len(records.Machines) + len(stations)
	out := &Cases{List: make([]Case, 0, n+len(seen)), byUser: make(map[string][]int32, len(records.Users))}
	done := map[string]map[string]bool{"user": make(map[string]bool, len(records.Users)), "machine": make(map[string]bool,
		len(records.Machines))}
	add := func(kind, called string, alone lineup.Context, from map[string][]lineup.Context) {
		folded := name.Fold(called)
		if done[kind][folded] {
			return
		}
		done[kind][folded] = true
		where := from[folded]
		first := len(out.List)
		for _, c := range where {
			out.List = append(out.List, Case{kind, called, c, true})
		}
		if len(where) == 0 {
			alone.Session = estate.Sessions()[0]
			out.List = append(out.List, Case{Kind: kind, Name: called, Context: alone})
		}
		for i := first; i < len(out.List) && kind == "user"; i++ {
			out.byUser[folded] = append(out.byUser[folded], int32(i))
		}
	}
	for _, u := range records.Users {
		called := lead(u.Name)
		add("user", called, lineup.Context{User: called}, byUser)
	}
	for _, m := range records.Machines {
		add("machine", m.Name, lineup.Context{Machine: m.Name, Platform: platform(m.Platform)}, byMachine)
	}
	for _, s := range stations {
		add("machine", s.Name, lineup.Context{Machine: s.Name, Addresses: s.Addresses,
			Platform: platform(s.Platform)}, byMachine)
	}
	for _, c := range seen {
		if c.User != "" {
			add("user", lead(c.User), lineup.Context{}, byUser)
		} else if c.Machine != "" {
			add("machine", c.Machine, lineup.Context{}, byMachine)
		}
	}
	return out
}

// End moves a place in the list forward to where the cases of the person before it end, so that ranges can be shared
// out without dividing anybody.
func (c *Cases) End(at int) int {
	for at > 0 && at < len(c.List) && c.List[at].Kind == c.List[at-1].Kind && c.List[at].Name == c.List[at-1].Name {
		at++
	}
	return at
}

// platform drops what is no whole platform: a directory may know less, or something else.
func platform(p string) string {
	if estate.ValidPlatform(p, false) {
		return p
	}
	return ""
}
