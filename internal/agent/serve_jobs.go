package agent

import (
	"context"
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/server"
)

// Some spoolers let jobs be looked after, and handed on to another server.
type (
	// looksAfterJobs does something with a job that waits.
	looksAfterJobs interface {
		Act(ctx context.Context, t server.Task) error
	}
	// handsOn hands the jobs that wait in a queue on to another server's queue.
	handsOn interface {
		PassOn(ctx context.Context, called, uri string) (moved, left int, err error)
		// Settle takes the ways away that are no longer used, but for those of some queues.
		Settle(ctx context.Context, but []string) error
	}
)

// handEvery is how often it is looked whether jobs wait on a server that is out of duty.
const handEvery = 2 * time.Second

// tasks does what is to be done with jobs, each once; what came of it is told until the service has heard.
func (k *Keeper) tasks(ctx context.Context) {
	asked := k.serving.Now.Tasks
	k.serving.Done = slices.DeleteFunc(k.serving.Done, func(d server.Done) bool {
		return !slices.ContainsFunc(asked, func(t server.Task) bool { return t.ID == d.ID })
	})
	s, able := k.spooler.(looksAfterJobs)
	for _, t := range asked {
		if ctx.Err() != nil || slices.ContainsFunc(k.serving.Done, func(d server.Done) bool { return d.ID == t.ID }) {
			continue
		}
		d := server.Done{ID: t.ID, OK: true}
		if !able {
			d.OK, d.Says = false, "this spooler's jobs cannot be looked after from here"
		} else if err := s.Act(ctx, t); err != nil {
			if ctx.Err() != nil {
				return
			}
			d.OK, d.Says = false, err.Error()
		}
		k.serving.Done = append(k.serving.Done, d)
		k.keepServing()
	}
}

// printsAll refuses what leads to anything but printers, whoever says so.
func printsAll(uris []string) error {
	for _, uri := range uris {
		if !estate.PrintsTo(uri) {
			return fmt.Errorf("%q leads to nothing that prints, and nothing is led there", uri)
		}
	}
	return nil
}

// handOn hands jobs on that wait while the server is out of duty, and says whether it is to be looked again soon.
func (k *Keeper) handOn(ctx context.Context) (again bool) {
	s, able := k.spooler.(handsOn)
	if !able {
		k.serving.Passed = nil
		return false
	}
	var names []string
	var passed []server.Passed
	for _, o := range k.serving.Now.Onward {
		if ctx.Err() != nil {
			return true
		}
		names = append(names, o.Name)
		p := server.Passed{Name: o.Name, To: o.To}
		if i := slices.IndexFunc(k.serving.Passed, func(b server.Passed) bool { return b.Name == o.Name }); i >= 0 {
			p.Jobs = k.serving.Passed[i].Jobs
		}
		to := k.absolute(o.URI)
		moved, left, err := 0, 0, printsAll([]string{to})
		if err == nil {
			moved, left, err = s.PassOn(ctx, o.Name, to)
		}
		p.Jobs, p.Left = p.Jobs+moved, left
		if err != nil {
			p.Says = err.Error()
			k.cfg.Log.Warn("jobs could not be handed on", "queue", o.Name, "to", o.To, "says", err)
		}
		passed = append(passed, p)
	}
	before := k.serving.Passed
	k.serving.Passed = passed
	if !slices.Equal(before, passed) {
		k.keepServing()
	}
	if len(before)+len(passed) > 0 || !k.settled {
		err := s.Settle(ctx, names)
		if k.settled = err == nil && len(names) == 0; err != nil && ctx.Err() == nil {
			k.cfg.Log.Warn("the ways by which jobs were handed on stay", "says", err)
		}
	}
	return len(names) > 0 || !k.settled
}
