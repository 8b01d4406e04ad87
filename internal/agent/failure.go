package agent

import (
	"errors"
	"reflect"
	"time"

	"cirque/core/endpoint"
)

// A failure is a step that did not succeed, with when it is tried again: at once where something else is wanted, else
// later each time. It holds up nothing but itself.
type failure struct {
	endpoint.Failure
	step  endpoint.Step
	tries int
	again time.Time
}

// Between two tries of one step.
const (
	firstRetry = 2 * time.Second
	lastRetry  = 10 * time.Minute
)

func (f failure) same(s endpoint.Step) bool {
	return f.step.Do == s.Do && reflect.DeepEqual(f.step.Want, s.Want)
}

// failureAfter is the failure that follows before, which is none at the first.
func failureAfter(before failure, s endpoint.Step, err error, now time.Time) failure {
	f := failure{Failure: endpoint.Failure{Queue: s.Want.Queue, User: s.Want.User, Step: s.Do, Says: err.Error(),
		Since: now.UTC().Truncate(time.Second)}, step: s, tries: 1}
	if _, ok := errors.AsType[endpoint.NoDriver](err); ok {
		f.Cause = endpoint.CauseDriver
	}
	if before.Says == f.Says {
		f.Since = before.Since
	}
	if before.same(s) {
		f.tries = before.tries + 1
	}
	f.again = now.Add(min(lastRetry, firstRetry<<min(f.tries-1, 16)))
	return f
}

// nextTry gives when the first of the failed steps is tried again.
func (a *Agent) nextTry() (at time.Time, ok bool) {
	for _, f := range a.failed {
		if !ok || f.again.Before(at) {
			at, ok = f.again, true
		}
	}
	return at, ok
}
