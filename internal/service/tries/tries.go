// Package tries bounds guessing: of passwords, set-up codes and enrolment tokens. Each try is counted before it is
// looked at, so that many at once are no way around; and it counts for whoever is named, for where it comes from, and
// for the two together, so that nobody is locked out by what others do.
package tries

import (
	"context"
	"fmt"
	"net/netip"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"cirque/core/fault"
)

// Limits say how many failures are free.
type Limits struct {
	// Pair is of one name from one place; each further one waits twice as long as the last.
	Pair int
	// Place is of one place, whatever the names; names that have come in from there before are not kept waiting by it.
	Place int
	// Name is of one name from everywhere; beyond it a place that the name has never come in from has one free failure
	// in place of Pair.
	Name int
}

// Usual limits are for passwords.
var Usual = Limits{Pair: 3, Place: 10, Name: 100}

const (
	longestWait = 5 * time.Minute
	most        = 10_000 // that are remembered of each kind
	// A failure is forgotten after so long, one after the other.
	pairForgets  = 5 * time.Minute
	placeForgets = time.Minute
)

// A Guard counts. Any number of goroutines may use it.
type Guard struct {
	limits Limits

	mu       sync.Mutex
	pairs    *lru.Cache[[2]string, *count] // guarded by mu, with what they hold
	places   *lru.Cache[string, *count]
	names    *lru.Cache[string, *count]
	familiar *lru.Cache[[2]string, bool] // names that have come in from a place
	settled  chan struct{}               // closed at the next end of a try
}

// count is what is known of one.
type count struct {
	failed int
	flying int       // tries under way
	last   time.Time // when it failed, or was forgiven, last
	until  time.Time
}

// New makes a Guard that remembers nothing yet.
func New(limits Limits) *Guard {
	return &Guard{limits: limits, pairs: cache[[2]string, *count](), places: cache[string, *count](),
		names: cache[string, *count](), familiar: cache[[2]string, bool](), settled: make(chan struct{})}
}

func cache[K comparable, V any]() *lru.Cache[K, V] {
	c, err := lru.New[K, V](most)
	if err != nil {
		panic(err) // only for a size that is not positive
	}
	return c
}

func of[K comparable](c *lru.Cache[K, *count], k K) *count {
	v, ok := c.Get(k)
	if !ok {
		v = &count{}
		c.Add(k, v)
	}
	return v
}

// forgive forgets failures of long ago.
func (c *count) forgive(now time.Time, every time.Duration) {
	for c.failed > 0 && now.Sub(c.last) >= every {
		c.failed--
		c.last = c.last.Add(every)
	}
}

// waits says for how long more it has to wait.
func (c *count) waits(now time.Time) time.Duration { return c.until.Sub(now) }

// full says whether so many are under way that a further one would be beyond what is free, if all of them failed.
func (c *count) full(free int) bool { return c.flying > 0 && c.failed+c.flying >= free }

func (c *count) fail(now time.Time, free int) {
	c.failed++
	c.last = now
	if over := c.failed - free; over >= 0 {
		c.until = now.Add(min(time.Second<<min(over, 10), longestWait))
	}
}

// A Try is one that is under way; End is to be called once.
type Try struct {
	of         *Guard
	pair       [2]string
	pairFree   int
	place      bool // counts for the place, too
	isFamiliar bool
}

// PlaceOf gives the place that an address counts as: of IPv6 the network, since whoever has one has all of it.
func PlaceOf(address string) string {
	a, err := netip.ParseAddr(address)
	if err != nil {
		return address
	}
	if a = a.Unmap(); a.Is6() {
		p, _ := a.Prefix(64)
		return p.String()
	}
	return a.String()
}

// Begin begins a try of a name from a place; "" is no name in particular. It gives a TooMany fault while either has to
// wait, and waits itself while so many are under way that they may use up what is free.
func (g *Guard) Begin(ctx context.Context, called, place string, now func() time.Time) (*Try, error) {
	place = PlaceOf(place)
	for {
		g.mu.Lock()
		t, wait, full := g.begin(called, place, now())
		settled := g.settled
		g.mu.Unlock()
		switch {
		case wait > 0:
			seconds := int(wait/time.Second) + 1
			return nil, fault.New(fault.TooMany, "sign-in-slowed", fmt.Sprintf("try again in %d seconds", seconds),
				"too many sign-ins have failed")
		case !full:
			return t, nil
		}
		select {
		case <-settled:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// begin looks and counts; the caller holds mu.
func (g *Guard) begin(called, place string, now time.Time) (t *Try, wait time.Duration, full bool) {
	t = &Try{of: g, pair: [2]string{called, place}, pairFree: g.limits.Pair, place: true}
	pair, from, everywhere := of(g.pairs, t.pair), of(g.places, place), of(g.names, called)
	pair.forgive(now, pairForgets)
	from.forgive(now, placeForgets)
	everywhere.forgive(now, placeForgets)
	_, t.isFamiliar = g.familiar.Get(t.pair)
	if !t.isFamiliar && called != "" && everywhere.failed >= g.limits.Name {
		t.pairFree = 1
	}
	wait, full = pair.waits(now), pair.full(t.pairFree)
	if !t.isFamiliar {
		wait, full = max(wait, from.waits(now)), full || from.full(g.limits.Place)
	}
	if wait <= 0 && !full {
		pair.flying++
		from.flying++
		everywhere.flying++
	}
	return t, wait, full
}

// End ends a try: good lets the name begin anew from there. It takes nothing back of what failed there with other
// names. One that was not looked at, such as since a directory was away, did not fail either.
func (t *Try) End(good, looked bool, now time.Time) {
	g := t.of
	g.mu.Lock()
	defer g.mu.Unlock()
	pair, from, everywhere := of(g.pairs, t.pair), of(g.places, t.pair[1]), of(g.names, t.pair[0])
	for _, c := range []*count{pair, from, everywhere} {
		c.flying = max(c.flying-1, 0) // it may have been forgotten meanwhile
	}
	switch {
	case good:
		*pair = count{flying: pair.flying}
		g.familiar.Add(t.pair, true)
	case looked:
		pair.fail(now, t.pairFree)
		from.fail(now, g.limits.Place)
		everywhere.fail(now, most) // it is slowed, and never closed
	}
	close(g.settled)
	g.settled = make(chan struct{})
}
