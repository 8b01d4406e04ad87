package httpapi

import (
	"strconv"
	"sync"

	"cirque/core/access"
	"cirque/core/fault"
)

// How many requests may be held open for one account at a time: streams of signals, and questions that wait for a
// change. A machine has one agent, which asks once at a time and may ask again before it is known that it hung up.
const (
	streamsMost = 100
	waitsMost   = 100
	agentWaits  = 8
)

// holds counts the requests that are held open for each account.
type holds struct {
	mu sync.Mutex
	by map[string]int // by kind and account; guarded by mu
}

// take holds one more open of a kind, until free is called; a TooMany fault where there are enough.
func (h *holds) take(kind string, p *access.Principal, most int) (free func(), err error) {
	if p == nil {
		return func() {}, nil // who is refused
	}
	who := p.Name
	switch {
	case p.Role == access.Agent && p.Machine != "":
		who, most = "agent "+p.Machine, min(most, agentWaits)
	case p.Account != "":
		who = "account " + p.Account
	}
	key := kind + " " + strconv.Quote(who)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.by[key] >= most {
		return nil, fault.New(fault.TooMany, "held-open", "end one of them first", "%d %s are open "+
			"for %s already", most, kind, p.Name)
	}
	if h.by == nil {
		h.by = map[string]int{}
	}
	h.by[key]++
	return func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		if h.by[key]--; h.by[key] == 0 {
			delete(h.by, key)
		}
	}, nil
}
