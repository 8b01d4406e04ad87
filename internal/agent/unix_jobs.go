package agent

import (
	"context"
	"fmt"
	"time"

	"cirque/core/server"
	"cirque/core/stock"
	"cirque/core/words"
	ippclient "cirque/internal/probe/ipp"
)

// Act does something with a job.
func (u *UnixServer) Act(ctx context.Context, t server.Task) error {
	return u.spooler.Act(ctx, t.Queue, t.Job, t.Do, t.To)
}

// onwardName is what the queue is called through which a queue's jobs are handed on to another server.
func onwardName(called string) string { return called + "+onward" }

// PassOn hands the jobs that wait in a queue on to another server's queue: the spooler sends them there as it would
// send them to a printer, for the same people and with the same options. What is being printed is left to end, and so
// is what is next in line as long as that goes on: a job that is begun meanwhile would come out twice. It gives how
// many it handed on now, and how many wait here still.
func (u *UnixServer) PassOn(ctx context.Context, called, uri string) (moved, left int, err error) {
	q, err := u.spooler.Queue(ctx, called)
	if err != nil || q == nil {
		return 0, 0, err
	}
	m, own := readShared(q.Mark)
	if !own {
		return 0, q.Jobs, fmt.Errorf("somebody else made the queue %s", called)
	}
	helper := onwardName(called)
	names := append([]string{called}, q.Members...)
	for _, name := range names {
		for {
			next, busy, err := u.last(ctx, name)
			if err != nil {
				return moved, left, err
			}
			if next == nil {
				left += busy
				break
			}
			if moved == 0 {
				if err := u.lead(ctx, helper, called, m.Queue, uri); err != nil {
					return moved, u.stay(ctx, names), err
				}
			}
			if err := u.hand(ctx, name, helper, next.ID, next.State == "pending"); err != nil {
				return moved, u.stay(ctx, append(names, helper)), err
			}
			moved++
		}
	}
	waiting, err := u.ours(ctx, helper)
	if err == nil && waiting != nil {
		left += waiting.Jobs // on their way
		if waiting.State == stoppedState {
			return moved, left, fmt.Errorf("%s wait for %s: %s", words.Count(waiting.Jobs, "job"), uri, waiting.Message)
		}
	}
	return moved, left, err
}

// stay counts the jobs in queues, as far as they can be read.
func (u *UnixServer) stay(ctx context.Context, names []string) (jobs int) {
	for _, n := range names {
		if q, err := u.spooler.Queue(ctx, n); err == nil && q != nil {
			jobs += q.Jobs
		}
	}
	return jobs
}

// stuckAfter is for how long a job has to have been printed until what is next in line is handed on, too.
const stuckAfter = 10 * time.Second

// last gives the job of a queue that may be handed on and would be printed last; nil where none may. left is how many
// stay then.
func (u *UnixServer) last(ctx context.Context, name string) (next *stock.Job, left int, err error) {
	jobs, err := u.spooler.Waiting(ctx, name)
	if err != nil {
		return nil, 0, err
	}
	var pending, held []stock.Job
	goes := true
	for _, j := range jobs {
		switch j.State {
		case "pending":
			pending = append(pending, j)
		case "pending-held":
			held = append(held, j)
		default:
			left++
			k := [2]any{name, j.ID}
			if u.printing[k].IsZero() {
				u.printing[k] = time.Now()
			}
			goes = goes && time.Since(u.printing[k]) < stuckAfter
		}
	}
	q, err := u.spooler.Queue(ctx, name)
	if err != nil || q == nil {
		return nil, left, err
	}
	goes = goes && q.State != stoppedState
	switch {
	case len(held) > 0:
		return &held[len(held)-1], left, nil
	case len(pending) > 1 || len(pending) == 1 && !goes:
		return &pending[len(pending)-1], left, nil
	}
	return nil, left + len(pending), nil
}

// lead makes the queue by which jobs are handed on.
func (u *UnixServer) lead(ctx context.Context, helper, called, queue, uri string) error {
	was, err := u.ours(ctx, helper)
	if err != nil {
		return err
	}
	uri += "?waitjob=false&waitprinter=false" // a job is done with here once the other server has taken it
	return u.write(ctx, ippclient.SpoolerQueue{Name: helper, Device: uri, Title: "to " + uri, Was: was},
		sharedMark{By: server.MarkBy, Queue: queue, Of: called, Onward: true}, nil, nil)
}

// hand moves one job, held meanwhile so that it is not begun here.
func (u *UnixServer) hand(ctx context.Context, from, to string, id int, release bool) error {
	if release {
		if err := u.spooler.Act(ctx, from, id, server.Hold, ""); err != nil {
			return err
		}
	}
	if err := u.spooler.Act(ctx, from, id, server.Move, to); err != nil {
		if release {
			_ = u.spooler.Act(ctx, from, id, server.Release, "") // it stays where it was
		}
		return err
	}
	if release {
		return u.spooler.Act(ctx, to, id, server.Release, "")
	}
	return nil
}

// Settle takes the ways away by which jobs were handed on and through which nothing goes any more, but for those of
// some queues.
func (u *UnixServer) Settle(ctx context.Context, but []string) error {
	queues, err := u.spooler.Queues(ctx)
	if err != nil {
		return err
	}
	keep := map[string]bool{}
	if len(but) == 0 {
		clear(u.printing)
	}
	for _, called := range but {
		keep[onwardName(called)] = true
	}
	for _, q := range queues {
		m, own := readShared(q.Mark)
		if !own || !m.Onward || keep[q.Name] {
			continue
		}
		if q.Jobs > 0 {
			return u.comeBack(ctx, q.Name, m.Of)
		}
		if err := u.spooler.Delete(ctx, q.Name); err != nil {
			return err
		}
	}
	return nil
}

// comeBack gives jobs that were not sent yet back to the queue from which they came.
func (u *UnixServer) comeBack(ctx context.Context, helper, to string) error {
	jobs, err := u.spooler.Waiting(ctx, helper)
	if err != nil {
		return err
	}
	for _, j := range jobs {
		if j.State == "pending" || j.State == "pending-held" {
			if err := u.hand(ctx, helper, to, j.ID, j.State == "pending"); err != nil {
				return err
			}
		}
	}
	return fmt.Errorf("%s on their way still", words.Count(len(jobs), "job is", "jobs are"))
}
