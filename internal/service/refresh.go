package service

import (
	"context"
	"fmt"
	"sync"
	"time"

	"cirque/core/access"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/name"
)

// callers lets one endpoint's waiting agent be called before its lineups change.
type callers struct {
	mu sync.Mutex
	ch map[string]chan struct{} // by folded machine. Guarded by mu.

	missed map[string]bool // called while none waited, by folded machine. Guarded by mu.

	here map[string]int // agents that wait in this process, by folded machine. Guarded by mu.
}

// bell gives the channel that is closed at the next call for a machine.
func (c *callers) bell(machine string) <-chan struct{} {
	c.mu.Lock()
	defer c.mu.Unlock()
	k := name.Fold(machine)
	if c.missed[k] { // it was called between two of its polls
		delete(c.missed, k)
		ch := make(chan struct{})
		close(ch)
		return ch
	}
	if c.ch[k] == nil {
		c.ch[k] = make(chan struct{})
	}
	return c.ch[k]
}

// waits says whether a machine's agent is waiting in this process.
func (c *callers) waits(machine string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.here[name.Fold(machine)] > 0
}

// stays notes that an agent waits here, until left is called.
func (c *callers) stays(machine string) (left func()) {
	c.mu.Lock()
	defer c.mu.Unlock()
	k := name.Fold(machine)
	c.here[k]++
	return func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		if c.here[k]--; c.here[k] <= 0 {
			delete(c.here, k)
		}
	}
}

func (c *callers) ring(machine string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	k := name.Fold(machine)
	if c.here[k] == 0 {
		c.missed[k] = true
	}
	if ch := c.ch[k]; ch != nil {
		close(ch)
		delete(c.ch, k)
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
	if err := access.CheckAt(p, access.RefreshEndpoint, s.siteOfMachine(rec.Report), "the endpoint "+
		rec.Report.Machine); err != nil {
		return Endpoint{}, err
	}
	err = s.store.Call(ctx, machine, event.Event{Kind: event.Called, Subject: rec.Report.Machine, Author: p.Name,
		Says: fmt.Sprintf("%s was asked to look at its queues and report", rec.Report.Machine)})
	s.callers.ring(machine) // here at once; the other processes hear of it
	return s.judge(rec), err
}

// Otherwise says how long an endpoint takes to hear of a change when it is not called.
func (s *Service) Otherwise() string {
	set := s.Pace()
	hurry := ""
	if all := s.Snapshot().World.Estate.Document().Agent(); all.HurryUntil != "" && set != all {
		hurry = " Agents hurry until " + all.HurryUntil + "."
	}
	return fmt.Sprintf("While it is connected it hears of a change within seconds; after a broken connection it asks "+
		"again within %s, and reports at least every %s.",
		endpoint.Span(time.Duration(set.GapSeconds)*time.Second),
		endpoint.Span(time.Duration(set.ReportMinutes)*time.Minute)) + hurry
}

// Pace gives the settings by which agents ask and report now.
func (s *Service) Pace() estate.AgentSettings {
	return s.Snapshot().World.Estate.Document().Agent().Hurried(s.now())
}
