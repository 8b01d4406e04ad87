package stock

import (
	"cmp"
	"context"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"cirque/core/stock"
)

// readWaiting asks a server about the jobs that wait on it; what cannot be read is left out.
func (s *Room) readWaiting(ctx context.Context, l stock.Listed, r *stock.Server, key *stock.Key) []stock.Job {
	ctx, cancel := context.WithTimeout(ctx, waitingWithin)
	defer cancel()
	var mu sync.Mutex
	var g errgroup.Group // what one queue does not tell is left out, and ends nothing
	g.SetLimit(waitingAtOnce)
	var out []stock.Job
	asked := 0
	for _, q := range r.Queues {
		if q.Jobs == 0 {
			continue
		}
		if asked++; asked > waitingQueues {
			break
		}
		g.Go(func() error {
			list, err := s.cfg.Prober.ReadJobs(ctx, l.QueueURI(q), key, false, waitingJobs)
			if err != nil {
				return nil //nolint:nilerr // see above
			}
			mu.Lock()
			defer mu.Unlock()
			for _, j := range list {
				j.Queue = q.Name
				out = append(out, j)
			}
			return nil
		})
	}
	_ = g.Wait()
	slices.SortFunc(out, func(a, b stock.Job) int {
		return cmp.Or(cmp.Compare(a.Queue, b.Queue), cmp.Compare(a.ID, b.ID))
	})
	return out
}
