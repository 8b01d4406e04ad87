// Package event is what happened, in words.
package event

import "time"

// An Event is one thing that happened; events are kept.
type Event struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	Kind    string    `json:"kind" doc:"Such as estate.published or endpoint.failing."`
	Subject string    `json:"subject" doc:"What it concerns, such as an endpoint's name."`
	Author  string    `json:"author" doc:"Who did it."`
	Says    string    `json:"says" doc:"One sentence."`
}

// Kinds of event.
const (
	Published  = "estate.published"
	Imported   = "directory.imported"
	Joined     = "endpoint.joined"
	Failing    = "endpoint.failing"
	Recovered  = "endpoint.recovered"
	TokenMade  = "token.made"
	TokenEnded = "token.revoked"
	SetUp      = "account.made"
	SignedIn   = "account.signed-in"
	SignInBad  = "account.sign-in-failed"
	TestPage   = "queue.test-page"
	Called     = "endpoint.called"
	Drained    = "server.drained"
	Returned   = "server.returned"
	Picked     = "queue.picked"
	Unpicked   = "queue.unpicked"
)

// A Notice tells every process of the service that something changed; it names what to read again.
type Notice struct {
	What    string // one of the constants below
	Subject string
}

// What a Notice can name.
const (
	Estate    = "estate"
	Directory = "directory"
	Live      = "live"
	Access    = "access"
	Draft     = "draft"
	Endpoint  = "endpoint"
	Call      = "call" // an endpoint's agent is to report
	Happened  = "event"
	Lost      = "lost" // notices may have been missed: read everything again
)
