package present

import (
	"context"
	"runtime"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/semaphore"

	"cirque/core/fault"
)

// A Crew does the work that looks at everybody: over all cores, and a few such works at once.
type Crew struct {
	slots *semaphore.Weighted
}

const (
	crews  = 2   // works at once
	stride = 512 // how many cases are done between two looks at whether anybody still wants them
)

// Stopped is the fault of a work that was stopped before its end.
func Stopped() error {
	return fault.New(fault.Unavailable, "stopped", "start it again", "the work was stopped before it was done")
}

// Enter waits until there is room for one more work that looks at everybody; leave ends it. It gives Stopped where ctx
// ends first.
func (c *Crew) Enter(ctx context.Context) (leave func(), err error) {
	if err := c.slots.Acquire(ctx, 1); err != nil {
		return nil, Stopped()
	}
	return func() { c.slots.Release(1) }, nil
}

// Share divides n cases over as many goroutines as there are cores, in strides that end where ends allows. Each
// goroutine makes its worker once; what a worker gives is called by one goroutine at a time. progress, which may be
// nil, is called now and then with how many cases are done.
func (c *Crew) Share(ctx context.Context, n int, ends func(int) int, progress func(done, total int),
	worker func() func(from, to int) func()) error {
	leave, err := c.Enter(ctx)
	if err != nil {
		return err
	}
	defer leave()
	var cuts []int
	for at := 0; at < n; {
		at = min(at+stride, n)
		if ends != nil {
			at = ends(at)
		}
		cuts = append(cuts, at)
	}
	var next atomic.Int64
	var mu sync.Mutex
	var group errgroup.Group
	done := 0
	for range min(runtime.GOMAXPROCS(0), len(cuts)) {
		group.Go(func() error {
			work := worker()
			for ctx.Err() == nil {
				i := int(next.Add(1)) - 1
				if i >= len(cuts) {
					return nil
				}
				from := 0
				if i > 0 {
					from = cuts[i-1]
				}
				result := work(from, cuts[i])
				mu.Lock()
				result()
				if done += cuts[i] - from; progress != nil {
					progress(done, n)
				}
				mu.Unlock()
			}
			return Stopped()
		})
	}
	return group.Wait()
}
