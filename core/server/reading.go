package server

import (
	"slices"

	"cirque/core/stock"
)

// Reading adds to a reading of a server what the agent that keeps it knows of its queues: the driver's package, and
// what is fitted. r is not changed.
func Reading(r *stock.Server, found []Found) *stock.Server {
	if r == nil || len(found) == 0 {
		return r
	}
	out := *r
	out.Queues = slices.Clone(r.Queues)
	at := make(map[string]int, len(out.Queues))
	for i := range out.Queues {
		at[out.Queues[i].Name] = i
	}
	for _, f := range found {
		if i, ok := at[f.Name]; ok && f.Own {
			out.Queues[i].Package, out.Queues[i].Units = f.Package, f.Units.InWords()
		}
	}
	return &out
}
