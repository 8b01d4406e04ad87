package server

import (
	"fmt"
	"time"

	"cirque/core/words"
)

// What can be done with a job that waits on a server.
const (
	Hold    = "hold"
	Release = "release"
	Cancel  = "cancel"
	Move    = "move" // to another queue of the same server
)

// A Task is something to be done with a job, by the agent on the server.
type Task struct {
	ID    int64  `json:"id"`
	Queue string `json:"queue" doc:"Where the job waits, by its name there."`
	Job   int    `json:"job"`
	Do    string `json:"do" enum:"hold,release,cancel,move"`
	To    string `json:"to,omitempty" doc:"The queue to which it is moved."`
}

// A Done is what came of a task.
type Done struct {
	ID   int64  `json:"id"`
	OK   bool   `json:"ok"`
	Says string `json:"says,omitempty" maxLength:"1024" doc:"In the spooler's own words, where it could not be done."`
}

// An Onward is where the jobs go on to that wait in a queue of a server that is out of duty.
type Onward struct {
	Name string `json:"name" doc:"The queue, by its name on this server."`
	URI  string `json:"uri" doc:"That queue on the server that takes over."`
	To   string `json:"to" doc:"That server."`
}

// A Passed is how many jobs of a queue were handed on to the server that takes over, or why they were not.
type Passed struct {
	Name string `json:"name"`
	To   string `json:"to"`
	Jobs int    `json:"jobs" doc:"Handed on since the server went out of duty."`
	Left int    `json:"left" doc:"That wait there still."`
	Says string `json:"says,omitempty" maxLength:"1024" doc:"Why they wait still, in the spooler's own words."`
}

// String says what became of them.
func (p Passed) String() string {
	says := fmt.Sprintf("%s handed on to %s", words.Count(p.Jobs, "job"), p.To)
	if p.Left > 0 {
		says += fmt.Sprintf(", %d still on the way or being printed", p.Left)
	}
	if p.Says != "" {
		says += ": " + p.Says
	}
	return says
}

// MaxEnded is how many ended jobs a report tells.
const MaxEnded = 1000

// An Ended is a job that has ended on a server, for the service to keep who printed.
type Ended struct {
	ID    int       `json:"id"`
	Queue string    `json:"queue" doc:"By its name there."`
	Owner string    `json:"owner" maxLength:"256"`
	From  string    `json:"from,omitempty" maxLength:"256" doc:"The machine that sent it."`
	At    time.Time `json:"at"`
}
