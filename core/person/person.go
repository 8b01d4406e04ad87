// Package person is what is kept of a person, and what becomes of it.
package person

import (
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/endpoint"
	"cirque/core/event"
)

// Kept is all that is kept of a person.
type Kept struct {
	Names []string `json:"names"`
	directory.PersonData
	Account   *access.Account     `json:"account" doc:"With which they sign in here."`
	Sessions  []access.Session    `json:"sessions" doc:"At the console, that are open."`
	Requests  []access.Request    `json:"requests"`
	Endpoints []endpoint.Presence `json:"endpoints" doc:"Where endpoints last told of them."`
	Events    []event.Event       `json:"events" doc:"What they did, and what concerned them."`
	Revisions []int               `json:"revisions" doc:"Of the estate, that name them; among the latest 200."`
}

// Erased says what came of erasing a person.
type Erased struct {
	Stands    string   `json:"stands_for" doc:"What stands for them in the audit from now on."`
	Revisions []int    `json:"revisions" doc:"Of the estate, that name them and are never altered."`
	Remarks   []string `json:"remarks"`
}

// A Moment is one thing in a person's history.
type Moment struct {
	At   time.Time `json:"at"`
	What string    `json:"what" enum:"directory,pick,link,request,done,about" doc:"done: by them; about: of them, by somebody else. The last two are shown to whoever may read the audit."`
	Says string    `json:"says"`
	By   string    `json:"by,omitempty"`
}
