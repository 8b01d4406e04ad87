package endpoint

import (
	"slices"

	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/lineup"
	"cirque/core/name"
)

// A Subject is everything about one person or one machine.
type Subject struct {
	Kind      string              `json:"kind" enum:"user,machine"`
	Name      string              `json:"name"`
	Known     bool                `json:"known" doc:"The directory, or for a machine the estate's stations, has it."`
	User      *directory.User     `json:"user,omitempty"`
	Machine   *directory.Machine  `json:"machine,omitempty"`
	Station   *estate.Station     `json:"station,omitempty"`
	Names     []directory.Tie     `json:"names,omitempty" doc:"The accounts and names of a person who has several, the leading one first."`
	Groups    []lineup.Membership `json:"groups"`
	Holdings  []lineup.Holding    `json:"holdings"`
	Endpoints []Presence          `json:"endpoints" doc:"Where the person has sessions, or the machine's own agent."`
}

// A Presence is one session, or the machine itself, on an endpoint that reported it.
type Presence struct {
	Endpoint string       `json:"endpoint"`
	State    State        `json:"state,omitempty" enum:"converged,behind,failing,silent" doc:"How the endpoint stands; absent in what is kept of a person."`
	Context  lineup.Query `json:"context"`
	Queues   []string     `json:"queues" doc:"Installed for it."`
}

// Presences finds the contexts of a report that are the user's, or the machine's, under any of their names. How the
// endpoint stands is the caller's to add.
func Presences(r Report, kind string, names ...string) []Presence {
	var out []Presence
	is := func(s *string) bool {
		return s != nil && slices.ContainsFunc(names, func(n string) bool { return name.Fold(n) == name.Fold(*s) })
	}
	for _, q := range r.Contexts {
		if kind == "user" && !is(q.User) || kind == "machine" && !is(q.Machine) && !is(q.Host) {
			continue
		}
		p := Presence{Endpoint: r.Machine, Context: q, Queues: []string{}}
		for _, i := range r.Installed {
			if i.User == "" || q.User != nil && name.Fold(i.User) == name.Fold(*q.User) {
				p.Queues = append(p.Queues, i.Queue)
			}
		}
		out = append(out, p)
	}
	return out
}
