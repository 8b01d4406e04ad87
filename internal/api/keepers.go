package api

// TakeQueues names queues on a kept server that are to become Cirque's own.
type TakeQueues struct {
	Queues []string `json:"queues,omitempty" maxItems:"10000" doc:"By their names there; all that are in the way of a queue of the estate when absent."`
}

// TakenQueues are those that will be taken over as soon as the server's agent hears of it.
type TakenQueues struct {
	Queues []string `json:"queues"`
}
