package lineup

import "cirque/core/estate"

// A QueueSheet is a queue with what is asked about most: the grants that select it, and the ways to it in words.
type QueueSheet struct {
	estate.Queue
	Grants  []string `json:"grants" doc:"The grants that select it."`
	Given   Given    `json:"given"`
	Through []string `json:"through" doc:"Its paths in words, in order."`
}

// NewQueueSheet describes a queue that some grants select, and given says who gets it.
func NewQueueSheet(q estate.Queue, grants []string, given Given) QueueSheet {
	out := QueueSheet{q, grants, given, []string{}}
	for _, p := range q.Paths {
		switch {
		case p.Gateway:
			out.Through = append(out.Through, "gateway")
		case p.Server != "":
			out.Through = append(out.Through, "server "+p.Server)
		case p.Set != "":
			out.Through = append(out.Through, "set "+p.Set)
		default:
			out.Through = append(out.Through, "device "+p.Device)
		}
	}
	return out
}
