package sim

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"

	"cirque/core/endpoint"
	"cirque/core/name"
	"cirque/internal/agent"
)

// A Memory is a spooler and a machine in memory, for agents by the thousand.
type Memory struct {
	facts agent.Facts
	count *Counts

	mu       sync.Mutex
	queues   map[endpoint.Key]endpoint.Installed // guarded by mu, as are the rest
	defaults map[string]string
}

// Counts are what many spoolers in memory have seen, all together.
type Counts struct {
	Added, Changed, Removed atomic.Int64
	Without                 atomic.Int64 // how often the last queue of a spooler was taken away
	Serving                 atomic.Int64 // spoolers that have a queue
}

// NewMemory makes an empty one. counts may be shared; nil counts nothing.
func NewMemory(facts agent.Facts, counts *Counts) *Memory {
	if counts == nil {
		counts = new(Counts)
	}
	return &Memory{facts: facts, count: counts, queues: map[endpoint.Key]endpoint.Installed{},
		defaults: map[string]string{}}
}

// Facts are those that it was made with.
func (m *Memory) Facts(context.Context) (agent.Facts, error) { return m.facts, nil }

// Name names it.
func (m *Memory) Name() string { return "memory" }

// List gives all.
func (m *Memory) List(context.Context, []string) ([]endpoint.Installed, map[string]string, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := make([]endpoint.Installed, 0, len(m.queues))
	defaults := make(map[string]string, len(m.defaults))
	for u, q := range m.defaults {
		defaults[u] = q
	}
	for k, q := range m.queues {
		q.Default = m.defaults[k.User] == q.Queue
		out = append(out, q)
	}
	return out, defaults, nil
}

// Add keeps a queue.
func (m *Memory) Add(_ context.Context, w endpoint.Want) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if q, there := m.queues[w.Key()]; there && !q.Own {
		return fmt.Errorf("a queue %s is already there, and is not managed", w.Queue)
	}
	if len(m.queues) == 0 {
		m.count.Serving.Add(1)
	}
	m.queues[w.Key()] = endpoint.Installed{Want: w, Own: true}
	m.count.Added.Add(1)
	return nil
}

// SetUpByHand keeps a queue that is not the agent's own.
func (m *Memory) SetUpByHand(w endpoint.Want, own bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.queues[w.Key()] = endpoint.Installed{Want: w, Own: own}
}

// Change replaces a queue.
func (m *Memory) Change(_ context.Context, w endpoint.Want) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.queues[w.Key()] = endpoint.Installed{Want: w, Own: true}
	m.count.Changed.Add(1)
	return nil
}

// Remove forgets a queue.
func (m *Memory) Remove(_ context.Context, queue, user string) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	k := endpoint.Want{Queue: queue, User: user}.Key()
	q, there := m.queues[k]
	if !there {
		return nil
	}
	if !q.Own {
		return fmt.Errorf("the queue %s is not managed", queue)
	}
	delete(m.queues, k)
	if m.defaults[k.User] == queue {
		delete(m.defaults, k.User)
	}
	m.count.Removed.Add(1)
	if len(m.queues) == 0 {
		m.count.Without.Add(1)
		m.count.Serving.Add(-1)
	}
	return nil
}

// SetDefault keeps a default.
func (m *Memory) SetDefault(_ context.Context, queue, user string) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	k := endpoint.Want{Queue: queue, User: user}.Key()
	if _, own := m.queues[k]; !own {
		if _, all := m.queues[endpoint.Key{Queue: queue}]; !all {
			return fmt.Errorf("there is no queue %s", queue)
		}
	}
	m.defaults[name.Fold(user)] = queue
	return nil
}
