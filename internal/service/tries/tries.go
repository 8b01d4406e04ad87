// Package tries slows down whoever fails again and again, such as by guessing passwords.
package tries

import (
	"fmt"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"cirque/core/fault"
)

// A Slowdown makes repeated failures wait: nothing for the first three, then twice as long each time. Any number of
// goroutines may use it.
type Slowdown struct {
	mu       sync.Mutex
	failures *lru.Cache[string, failure] // those that failed last; changed under mu
}

type failure struct {
	count int
	until time.Time
}

const (
	freeFailures = 3
	longestWait  = 5 * time.Minute
	mostFailures = 10000 // keys that are remembered
)

// New makes a Slowdown that remembers nothing yet.
func New() *Slowdown {
	c, err := lru.New[string, failure](mostFailures)
	if err != nil {
		panic(err) // only for a size that is not positive
	}
	return &Slowdown{failures: c}
}

// Check gives a TooMany fault while a key has to wait.
func (s *Slowdown) Check(key string, now time.Time) error {
	f, _ := s.failures.Peek(key)
	if wait := f.until.Sub(now); wait > 0 {
		seconds := int(wait/time.Second) + 1
		return fault.New(fault.TooMany, "sign-in-slowed", fmt.Sprintf("try again in %d seconds", seconds),
			"too many sign-ins have failed")
	}
	return nil
}

// Failed notes a failure of a key.
func (s *Slowdown) Failed(key string, now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	f, _ := s.failures.Get(key)
	f.count++
	if over := f.count - freeFailures; over >= 0 {
		f.until = now.Add(min(time.Second<<min(over, 10), longestWait))
	}
	s.failures.Add(key, f)
}

// Forget lets keys begin anew.
func (s *Slowdown) Forget(keys ...string) {
	for _, k := range keys {
		s.failures.Remove(k)
	}
}
