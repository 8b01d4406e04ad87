package api

import "cirque/core/stock"

// TakeQueues names queues on a kept server that are to become Cirque's own.
type TakeQueues struct {
	Queues []string `json:"queues,omitempty" maxItems:"10000" doc:"By their names there; all that are in the way of a queue of the estate when absent."`
}

// TakenQueues are those that will be taken over as soon as the server's agent hears of it.
type TakenQueues struct {
	Queues []string `json:"queues"`
}

// ActOnJob says what is to be done with a job that waits on a server.
type ActOnJob struct {
	Queue  string `json:"queue" minLength:"1" maxLength:"256" doc:"Where it waits, by its name on the server."`
	Job    int    `json:"job" minimum:"1" doc:"Its number there."`
	Do     string `json:"do" enum:"hold,release,cancel,move"`
	To     string `json:"to,omitempty" maxLength:"256" doc:"The queue of the same server to which it is moved."`
	Reason string `json:"reason,omitempty" maxLength:"500" doc:"Told to its owner."`
}

// ActedOnJob is what came of it.
type ActedOnJob struct {
	Job  stock.Job `json:"job" doc:"As it was."`
	Says string    `json:"says"`
	Told string    `json:"told" doc:"Whether its owner was told, in words; empty where they did it themselves."`
}
