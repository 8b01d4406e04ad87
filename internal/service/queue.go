package service

import (
	"context"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
)

// A Queue is a queue with what is asked about most.
type Queue struct {
	estate.Queue
	Grants  []string `json:"grants"`
	Through []string `json:"through"`
}

// Queues lists the queues of the current estate, by name, and its revision.
func (s *Service) Queues(_ context.Context, p *access.Principal) (int, []Queue, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return 0, nil, err
	}
	e := s.Snapshot().World.Estate
	doc := e.Document()
	out := make([]Queue, len(doc.Queues))
	selecting := e.SelectingEach()
	for i, q := range doc.Queues {
		out[i] = Queue{q, selecting[i], through(q)}
	}
	return e.Revision(), out, nil
}

// Queue gives one queue by its name or an old one.
func (s *Service) Queue(_ context.Context, p *access.Principal, called string) (Queue, error) {
	if err := access.Check(p, access.ReadEstate); err != nil {
		return Queue{}, err
	}
	return s.queue(called)
}

func (s *Service) queue(called string) (Queue, error) {
	e := s.Snapshot().World.Estate
	name, ok := e.HasQueue(called)
	if !ok {
		return Queue{}, fault.New(fault.Unknown, "queue-unknown", "see cirque queue list",
			"the estate has no queue %q", called)
	}
	doc := e.Document()
	i, _ := slices.BinarySearchFunc(doc.Queues, name, func(q estate.Queue, n string) int {
		return strings.Compare(q.Name, n)
	})
	return Queue{doc.Queues[i], e.Selecting(name), through(doc.Queues[i])}, nil
}

func through(q estate.Queue) []string {
	out := []string{}
	for _, p := range q.Paths {
		switch {
		case p.Gateway:
			out = append(out, "gateway")
		case p.Server != "":
			out = append(out, "server "+p.Server)
		case p.Set != "":
			out = append(out, "set "+p.Set)
		default:
			out = append(out, "device "+p.Device)
		}
	}
	return out
}
