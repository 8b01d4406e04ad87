package agent

import (
	"context"

	"cirque/core/server"
)

// A ServerSpooler is the part of an operating system that shares queues with others. Errors are in its own words; they
// are shown to people. Every implementation passes testkit's conformance suite.
type ServerSpooler interface {
	// Name says which spooler it is.
	Name() string
	// Shared gives every queue, whoever made it. A class of queues that are the agent's own is one, with the devices of
	// its members.
	Shared(ctx context.Context) ([]server.Found, error)
	// Bring makes a queue as it is wanted, or brings one of the agent's own there; with take also one that somebody else
	// made. Jobs that wait in it stay. What the spooler cannot do of what is wanted it leaves out: Lacks tells.
	Bring(ctx context.Context, w server.Now, take bool) error
	// Drop takes a queue of the agent's own away; one that is gone already is no error. One in which jobs wait takes no
	// more, and goes once they are printed: an error says so.
	Drop(ctx context.Context, called string) error
	// Lacks tells what it cannot do of what is wanted.
	Lacks(w server.Now) []server.Point
	// DriversFrom says where drivers come from, by their exact names, with the digest of their package.
	DriversFrom(get func(ctx context.Context, exact string) ([]byte, error))
}
