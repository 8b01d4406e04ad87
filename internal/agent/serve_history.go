package agent

import (
	"cmp"
	"context"
	"strings"
	"time"

	"cirque/core/estate"
	"cirque/core/server"
	"cirque/core/stock"
)

// Some spoolers remember jobs that have ended, and print the short ones first.
type (
	remembers interface {
		// Ended gives those of the agent's own queues, and of those by which it hands jobs on.
		Ended(ctx context.Context) ([]stock.Job, error)
		// Forget has one of them forgotten, with its document.
		Forget(ctx context.Context, j stock.Job) error
	}
	ranks interface {
		Rank(ctx context.Context, called string) error
	}
)

// rankEvery is how often waiting jobs are put in order, where the short ones go first.
const rankEvery = 2 * time.Second

// history notes who printed, for the service to keep, and has the spooler forget completed jobs once their queue's time
// is over: not before the service has heard of them.
func (k *Keeper) history(ctx context.Context) {
	s, able := k.spooler.(remembers)
	if !able {
		return
	}
	kept := map[string]time.Duration{}
	for _, f := range k.found {
		if f.Own {
			kept[f.Name] = max(f.Finished.D(), cmp.Or(k.cfg.Remember, time.Minute))
		}
	}
	jobs, err := s.Ended(ctx)
	if err != nil {
		if ctx.Err() == nil {
			k.cfg.Log.Warn("ended jobs cannot be read", "error", err)
		}
		return
	}
	k.ended = nil
	there := map[int]bool{}
	for _, j := range jobs {
		there[j.ID] = true
		keep, own := kept[j.Queue]
		onward := strings.HasSuffix(j.Queue, onwardName(""))
		switch {
		case !own && !onward || j.At == nil:
		case own && !k.heard[j.ID]:
			k.ended = append(k.ended, server.Ended{ID: j.ID, Queue: j.Queue, Owner: j.Owner, From: j.From, At: *j.At})
		case j.State == "completed" && time.Since(*j.At) >= keep:
			if err := s.Forget(ctx, j); err != nil && ctx.Err() == nil {
				k.cfg.Log.Warn("a completed job could not be forgotten", "job", j.ID, "says", err)
			}
		}
	}
	if len(k.ended) > server.MaxEnded {
		k.ended = k.ended[:server.MaxEnded] // the rest follows
	}
	for id := range k.heard {
		if !there[id] {
			delete(k.heard, id)
		}
	}
}

// rank puts waiting jobs in order, and says whether that is to be looked after again soon.
func (k *Keeper) rank(ctx context.Context) (again bool) {
	s, able := k.spooler.(ranks)
	if !able {
		return false
	}
	for _, f := range k.found {
		if !f.Own || f.Order != estate.Shortest {
			continue
		}
		again = true
		if f.Waiting < 2 {
			continue
		}
		if err := s.Rank(ctx, f.Name); err != nil && ctx.Err() == nil {
			k.cfg.Log.Warn("waiting jobs could not be put in order", "queue", f.Name, "says", err)
		}
	}
	return again
}
