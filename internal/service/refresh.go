package service

import (
	"context"
	"fmt"
	"sync"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/name"
)

// callers lets one endpoint's waiting agent be called before its lineups change.
type callers struct {
	mu sync.Mutex
	ch map[string]chan struct{} // by folded machine. Guarded by mu.
}

// bell gives the channel that is closed at the next call for a machine.
func (c *callers) bell(machine string) <-chan struct{} {
	c.mu.Lock()
	defer c.mu.Unlock()
	k := name.Fold(machine)
	if c.ch[k] == nil {
		c.ch[k] = make(chan struct{})
	}
	return c.ch[k]
}

func (c *callers) ring(machine string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if ch := c.ch[name.Fold(machine)]; ch != nil {
		close(ch)
		delete(c.ch, name.Fold(machine))
	}
}

// Refresh has an endpoint's agent look at its spooler and report now, in whichever process of the service it waits.
func (s *Service) Refresh(ctx context.Context, p *access.Principal, machine string) (Endpoint, error) {
	if err := access.Check(p, access.RefreshEndpoint); err != nil {
		return Endpoint{}, err
	}
	rec, err := s.store.Endpoint(ctx, machine)
	if err != nil {
		return Endpoint{}, err
	}
	err = s.store.Call(ctx, machine, event.Event{Kind: event.Called, Subject: rec.Report.Machine, Author: p.Name,
		Says: fmt.Sprintf("%s was asked to look at its queues and report", rec.Report.Machine)})
	s.callers.ring(machine) // here at once; the other processes hear of it
	return s.judge(rec), err
}

// Otherwise says how long an endpoint takes to hear of a change when it is not called.
func Otherwise() string {
	return fmt.Sprintf("While it is connected it hears of a change at once; after a broken connection it asks again within %s, and reports at least every %s.", endpoint.LongestGap, endpoint.ReportEvery)
}
