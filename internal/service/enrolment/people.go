package enrolment

import (
	"context"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
)

// PeopleAt tells an agent how it is to know its people, and which of the names that the system gives are unknown here.
func (s *Room) PeopleAt(_ context.Context, p *access.Principal, names []string) (endpoint.Who, error) {
	if err := access.Check(p, access.Report); err != nil {
		return endpoint.Who{}, err
	}
	w := s.present.View().World
	set := w.Estate.Document().Agent()
	out := endpoint.Who{UserFrom: set.UserFrom, Notice: set.Notice, Unknown: []string{}}
	for _, n := range names {
		if _, known := w.Directory.User(n); !known {
			out.Unknown = append(out.Unknown, n)
		}
	}
	return out, nil
}

// SaidWho checks who a person at a machine says they are, as signing in does, and gives the agent the name to ask with.
func (s *Room) SaidWho(ctx context.Context, p *access.Principal, remote, login, called,
	password string) (string, error) {
	if err := access.Check(p, access.Report); err != nil {
		return "", err
	}
	if s.present.View().Document().Agent().UserFrom == estate.FromSystem {
		return "", fault.New(fault.Conflict, "not-asked", "set settings.agents.user_from to ask or system-unless-unknown",
			"people are not asked here: the system's sign-in name counts")
	}
	a, err := s.cfg.Accounts.CheckAccount(ctx, remote, p.Machine, called, password)
	if err != nil {
		return "", err
	}
	e := event.Event{Kind: event.SaidWho, Subject: p.Machine, Author: a.User()}.Saying(
		"At {machine}, signed in there as {login}, {user} said who they are", "machine", p.Machine, "login",
		event.Person(login), "user", event.Person(a.User()))
	return a.User(), s.store.AddEvent(ctx, e)
}
