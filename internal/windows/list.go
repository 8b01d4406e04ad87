package windows

import (
	"cmp"
	"context"
	"encoding/json"
	"strings"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/name"
	"cirque/internal/winspool"
)

// List reads all queues, the connections of those who are signed in, and their defaults.
func (s *Spooler) List(_ context.Context, people []string) ([]endpoint.Installed, map[string]string, error) {
	k, err := s.kept()
	if err != nil {
		return nil, nil, err
	}
	all, err := s.queues(k)
	if err != nil {
		return nil, nil, err
	}
	leads, err := s.parts.Ports.Leads(k.Ports)
	if err != nil {
		return nil, nil, err
	}
	var out []endpoint.Installed
	called := map[string]string{} // the estate's name of a queue, by the spooler's
	for _, q := range all {
		i := found(q, leads)
		if q.own {
			if i, err = s.ours(q, leads); err != nil {
				return nil, nil, err
			}
			people = append(people, q.User)
		}
		called[q.there.Name] = i.Queue
		out = append(out, i)
	}
	for login := range s.people {
		people = append(people, s.people[login])
	}
	defaults := map[string]string{}
	for _, q := range out {
		if q.Queue == k.Default && q.User == "" {
			defaults[""] = k.Default
		}
	}
	seen := map[string]bool{}
	for _, p := range people {
		folded := name.Fold(p)
		if folded == "" || seen[folded] {
			continue
		}
		seen[folded] = true
		out = append(out, s.connections(k, p, called)...)
		if d, err := s.parts.People.Default(s.login(p)); err == nil && called[d] != "" {
			defaults[folded] = called[d]
		}
	}
	for i := range out {
		d, ok := defaults[name.Fold(out[i].User)]
		out[i].Default = ok && d == out[i].Queue
	}
	return out, defaults, nil
}

// found is a queue as somebody set it up.
func found(q queue, leads map[string]string) endpoint.Installed {
	return endpoint.Installed{Want: endpoint.Want{Queue: q.there.Name, Title: q.there.Name, Place: q.there.Location,
		URI: cmp.Or(leads[q.there.Port], q.there.Port), Exact: q.there.Driver, Options: optionsIn(q.there.Mode)},
		Halted: halted(q.there)}
}

func halted(p winspool.Printer) bool {
	return p.Status&winspool.StatusPaused != 0 || p.Attributes&winspool.AttributeWorkOffline != 0
}

// ours is a queue of the agent's own as it is now, in the estate's words.
func (s *Spooler) ours(q queue, leads map[string]string) (endpoint.Installed, error) {
	i := endpoint.Installed{Want: endpoint.Want{Queue: q.Queue, User: q.User, Title: q.Title, Place: q.Place,
		URI: q.URI, Driver: q.Driver, Exact: q.Exact, Options: q.present(q.there.Mode)}, Own: true, Halted: halted(q.there)}
	if len(q.Units) > 0 {
		i.Units = &estate.Units{}
		if json.Unmarshal(q.Units, i.Units) != nil {
			i.Units = nil
		}
	}
	if !strings.EqualFold(q.there.Name, q.Called) {
		i.Title = q.there.Name // somebody renamed it
	}
	if q.there.Location != q.Place {
		i.Place = q.there.Location
	}
	if to := leads[q.there.Port]; q.there.Port != q.Port || !same(to, q.URI) {
		i.URI = cmp.Or(to, q.there.Port)
	}
	if q.there.Driver != q.As {
		i.Exact = q.there.Driver
	}
	rights, err := s.parts.Rights.Rights(q.there.Name)
	if err != nil {
		return i, err
	}
	switch {
	case rights != q.Rights:
		i.URI = "" // others may use it than it says: it is to be set anew
	case q.Comment == q.there.Comment:
		i.Closed = q.Closed
	}
	return i, nil
}

// connections are a person's, made by the agent or not; each is noted in called, by what it leads to.
func (s *Spooler) connections(k kept, person string, called map[string]string) (out []endpoint.Installed) {
	login := s.login(person)
	there, err := s.parts.People.Connections(login)
	if err != nil {
		return nil
	}
	for _, to := range there {
		w := endpoint.Want{Queue: to, User: person, Title: to, URI: cmp.Or(uriOf(winspool.Port{Name: to}, nil), to)}
		m, own := k.Connections[name.Fold(login)][to]
		if own {
			w = endpoint.Want{Queue: m.Queue, User: m.User, Title: m.Title, Place: m.Place, URI: m.URI, Driver: m.Driver,
				Options: m.Options}
		}
		called[to] = w.Queue
		out = append(out, endpoint.Installed{Want: w, Own: own})
	}
	return out
}
