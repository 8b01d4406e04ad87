package lineup

import (
	"slices"
	"strings"

	"cirque/core/estate"
)

// A QueueSheet is a queue with what is asked about most: the grants that select it, and the ways to it in words.
type QueueSheet struct {
	estate.Queue
	Grants  []string  `json:"grants" doc:"The grants that select it."`
	Given   Given     `json:"given"`
	Closing []Closing `json:"closing" doc:"Where a pause or closed hours are held, and where not; empty where the queue has neither."`
	Through []string  `json:"through" doc:"Its paths in words, in order."`
}

// A Closing says whether a queue is held closed on some of its ways.
type Closing struct {
	Held bool   `json:"held"`
	Says string `json:"says"`
}

// Keeps knows which servers hold their queues closed, since Cirque keeps them.
type Keeps struct {
	servers map[string]bool
	sets    map[string][]string
}

// KeepsOf reads an estate's.
func KeepsOf(doc *estate.Document) Keeps {
	k := Keeps{map[string]bool{}, map[string][]string{}}
	for i := range doc.Servers {
		if doc.Servers[i].Kept {
			k.servers[doc.Servers[i].Name] = true
		}
	}
	for _, s := range doc.ServerSets {
		k.sets[s.Name] = s.Members
	}
	return k
}

// through lists the servers that a path leads through: those that Cirque keeps, and others.
func (k Keeps) through(p estate.Path) (kept, others []string) {
	names := k.sets[p.Set]
	if p.Server != "" {
		names = []string{p.Server}
	}
	for _, n := range names {
		if k.servers[n] {
			kept = append(kept, n)
		} else {
			others = append(others, n)
		}
	}
	return kept, others
}

// NewQueueSheet describes a queue that some grants select, and given says who gets it.
func NewQueueSheet(q estate.Queue, grants []string, given Given, keeps Keeps) QueueSheet {
	out := QueueSheet{q, grants, given, closing(q, keeps), []string{}}
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

// closing says who holds a queue closed while it is paused or outside its hours, by the ways that lead to it.
func closing(q estate.Queue, keeps Keeps) []Closing {
	out := []Closing{}
	if !q.Paused && len(q.Open) == 0 {
		return out
	}
	var past, keep []string
	gateway := false
	for _, p := range q.Paths {
		kept, others := keeps.through(p)
		keep = append(keep, kept...)
		switch {
		case p.Gateway:
			gateway = true
		case len(kept) > 0 && len(others) == 0:
		case p.Server != "":
			past = append(past, "the server "+p.Server)
		case p.Set != "" && len(kept) > 0:
			for _, n := range others {
				past = append(past, "the server "+n)
			}
		case p.Set != "":
			past = append(past, "the servers of the set "+p.Set)
		default:
			past = append(past, "the device "+p.Device)
		}
	}
	if gateway {
		out = append(out, Closing{true, "The gateway refuses jobs, and says why."})
	}
	if len(keep) > 0 {
		slices.Sort(keep)
		out = append(out, Closing{true, "Kept by Cirque, and refusing jobs with the sentence: " +
			strings.Join(slices.Compact(keep), ", ") + "."})
	}
	if len(past)+len(keep) > 0 {
		out = append(out, Closing{true, "On endpoints with an agent the queue stays and refuses jobs, where the " +
			"spooler can."})
	}
	if len(past) > 0 {
		out = append(out, Closing{false, "Nothing holds " + strings.Join(past, " and ") + " closed: whoever prints there " +
			"past an agent is not refused."})
	}
	return out
}
