package decommission

import (
	"cmp"
	"context"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"cirque/core/decommission"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/internal/service/worker"
)

// How often the servers' own lists of ended jobs are read, and how much of them.
const (
	readsEvery = time.Hour
	firstRead  = time.Minute
	usesAtOnce = 8
	usesAsked  = 1000  // ended jobs of one queue
	usesShown  = 10000 // rows of one server
)

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	if s.cfg.Prober == nil {
		return nil
	}
	return []worker.Worker{{Name: "server-use", Leased: true, Run: s.watchUse}}
}

// watchUse reads who printed through which server, until ctx is done.
func (s *Room) watchUse(ctx context.Context) error {
	for wait := firstRead; ctx.Err() == nil; wait = readsEvery {
		if worker.Pause(ctx, wait); ctx.Err() != nil {
			return nil
		}
		for _, l := range s.present.Watched(stock.KindServer) {
			if err := s.ReadUse(ctx, l.Name); err != nil && ctx.Err() == nil {
				return err
			}
		}
	}
	return nil
}

// ReadUse reads a server's own lists of ended jobs, and keeps who printed. What the server does not tell is kept as the
// reason; an error is the store's.
func (s *Room) ReadUse(ctx context.Context, called string) error {
	l, err := s.present.WatchedOne(stock.KindServer, called)
	if err != nil {
		return nil //nolint:nilerr // it has gone meanwhile
	}
	r := s.present.Stock().Server(called).Server
	if r == nil {
		return nil // nothing is known of it yet
	}
	jobs, err := s.endedJobs(ctx, l, r, usesAsked)
	if ctx.Err() != nil {
		return nil
	}
	reading := decommission.Reading{At: s.cfg.Now()}
	if err != nil {
		reading.Says = fault.As(err).What
	}
	for _, j := range jobs {
		if j.At != nil && (reading.Oldest.IsZero() || j.At.Before(reading.Oldest)) {
			reading.Oldest = *j.At
		}
	}
	return s.count(ctx, called, jobs, func(k decommission.Known) decommission.Known { return k.After(reading) })
}

// Count keeps who printed, by jobs that have ended on a server, of which its agent tells.
func (s *Room) Count(ctx context.Context, called string, jobs []stock.Job) error {
	return s.count(ctx, called, jobs, func(k decommission.Known) decommission.Known {
		k.Told = k.Told || len(jobs) > 0
		return k
	})
}

func (s *Room) count(ctx context.Context, called string, jobs []stock.Job,
	known func(decommission.Known) decommission.Known) error {
	before, err := s.cfg.Uses.LastUses(ctx, called)
	if err != nil {
		return err
	}
	return s.cfg.Uses.KeepUses(ctx, called, counted(called, jobs, before), known)
}

// endedJobs asks for ended jobs, queue by queue, at most so many of each; err is why some could not be read.
func (s *Room) endedJobs(ctx context.Context, l stock.Listed, r *stock.Server, most int) (jobs []stock.Job, err error) {
	key := stock.SignInOf(s.cfg.Keys.KeysFor(l.Watch))
	var mu sync.Mutex
	var g errgroup.Group // what fails of one queue is told, and ends nothing
	g.SetLimit(usesAtOnce)
	for _, q := range r.Queues {
		g.Go(func() error {
			if ctx.Err() != nil {
				return nil
			}
			list, failed := s.cfg.Prober.ReadJobs(ctx, l.QueueURI(q), key, true, most)
			mu.Lock()
			defer mu.Unlock()
			if failed != nil {
				err = failed
				return nil
			}
			for _, j := range list {
				j.Queue = q.Name
				jobs = append(jobs, j)
			}
			return nil
		})
	}
	_ = g.Wait()
	return jobs, err
}

// counted puts ended jobs together by queue, owner and machine, without those that are counted already.
func counted(server string, jobs []stock.Job, before map[[3]string]time.Time) (list []decommission.Use) {
	by := map[[3]string]*decommission.Use{}
	for _, j := range jobs {
		if j.At == nil {
			continue
		}
		k := [3]string{j.Queue, j.Owner, j.From}
		if last, ok := before[k]; ok && !j.At.After(last) {
			continue
		}
		u := by[k]
		if u == nil {
			u = &decommission.Use{Server: server, Queue: j.Queue, Owner: j.Owner, From: j.From, First: *j.At, Last: *j.At}
			by[k] = u
		}
		u.Jobs++
		if j.At.Before(u.First) {
			u.First = *j.At
		}
		if j.At.After(u.Last) {
			u.Last = *j.At
		}
	}
	for _, u := range by {
		list = append(list, *u)
	}
	slices.SortFunc(list, func(a, b decommission.Use) int {
		return cmp.Or(b.Last.Compare(a.Last), cmp.Compare(a.Queue, b.Queue), cmp.Compare(a.Owner, b.Owner))
	})
	return list
}
