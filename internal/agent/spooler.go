// Package agent keeps one endpoint equal to its lineups: it asks the service, brings the spooler into line, and tells
// how it went. It works from what it keeps on disk while the service is away.
package agent

import (
	"context"

	"cirque/core/endpoint"
	"cirque/core/lineup"
)

// A Spooler is the part of an operating system that holds queues. Errors are in its own words; they are shown to
// people. Every implementation passes testkit's conformance suite.
type Spooler interface {
	// Name says which spooler it is.
	Name() string
	// List gives every queue, whoever installed it, and each user's default by folded name ("" is everybody's). Of people
	// who have no queue of their own, only the defaults of those named are sure to be given.
	List(ctx context.Context, people []string) ([]endpoint.Installed, map[string]string, error)
	// Add installs a queue as the agent's own; one of that name by somebody else is an error.
	Add(ctx context.Context, w endpoint.Want) error
	// Change brings a queue of the agent's own to what is wanted.
	Change(ctx context.Context, w endpoint.Want) error
	// Remove takes a queue of the agent's own away; one that is gone already is no error.
	Remove(ctx context.Context, queue, user string) error
	// SetDefault makes a queue a user's default, or everybody's where user is empty.
	SetDefault(ctx context.Context, queue, user string) error
}

// Some spoolers also want to know, before they are used:
type (
	// knowsLogins hears by which sign-in names people are known on the machine.
	knowsLogins interface{ SignedIn(logins []endpoint.Login) }
	// closesQueues can have a queue take no jobs, and say why (Want.Closed).
	closesQueues interface{ ClosesQueues() }
	// takesDrivers is handed where drivers come from, by their exact names.
	takesDrivers interface {
		DriversFrom(get func(ctx context.Context, exact string) ([]byte, error))
	}
)

// Facts are what an agent learns of its machine.
type Facts struct {
	Machine   string
	Platform  string
	Addresses []string
	Sessions  []Session
}

// A Session is one person's session on the machine: at its own desk, or, on a session host, from elsewhere.
type Session struct {
	User      string   `yaml:"user"`
	Kind      string   `yaml:"session,omitempty"` // desktop when empty
	Machine   string   `yaml:"machine,omitempty"` // where the person sits, in a remote or virtual session
	Addresses []string `yaml:"addresses,omitempty"`
}

// A Machine tells facts.
type Machine interface {
	Facts(ctx context.Context) (Facts, error)
}

// contexts gives what to ask for: the machine itself with nobody signed in, then each session.
func (f Facts) contexts() []lineup.Query {
	opt := func(s string) *string {
		if s == "" {
			return nil
		}
		return &s
	}
	out := []lineup.Query{{Machine: opt(f.Machine), Addresses: f.Addresses, Platform: opt(f.Platform)}}
	for _, s := range f.Sessions {
		q := lineup.Query{User: opt(s.User), Session: opt(s.Kind), Platform: opt(f.Platform)}
		if s.Kind == "remote" || s.Kind == "virtual" {
			q.Host, q.Machine, q.Addresses = opt(f.Machine), opt(s.Machine), s.Addresses
		} else {
			q.Machine, q.Addresses = opt(f.Machine), f.Addresses
		}
		out = append(out, q)
	}
	return out
}
