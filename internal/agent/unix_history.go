package agent

import (
	"cmp"
	"context"
	"slices"

	"cirque/core/stock"
)

// Ended lists the jobs of the agent's own queues that have ended, as far as the spooler remembers them.
func (u *UnixServer) Ended(ctx context.Context) ([]stock.Job, error) {
	jobs, err := u.spooler.Ended(ctx)
	return slices.DeleteFunc(jobs, func(j stock.Job) bool { return !u.own[j.Queue] }), err
}

// Forget has the spooler forget one of them, with its document.
func (u *UnixServer) Forget(ctx context.Context, j stock.Job) error {
	return u.spooler.Purge(ctx, j.Queue, j.ID)
}

// Rank has the short jobs that wait in a queue be printed before the long ones: by their size, those of one size in the
// order in which they came.
func (u *UnixServer) Rank(ctx context.Context, called string) error {
	jobs, err := u.spooler.Waiting(ctx, called)
	if err != nil {
		return err
	}
	jobs = slices.DeleteFunc(jobs, func(j stock.Job) bool { return j.State != "pending" })
	slices.SortStableFunc(jobs, func(a, b stock.Job) int {
		return cmp.Or(cmp.Compare(a.KiB, b.KiB), cmp.Compare(a.ID, b.ID))
	})
	for i, j := range jobs {
		want := max(shortestFirst-i, 1)
		if u.ranked[j.ID] == want {
			continue
		}
		if err := u.spooler.Priority(ctx, called, j.ID, want); err != nil {
			return err
		}
		u.ranked[j.ID] = want
	}
	return nil
}

// shortestFirst is the priority of the shortest job; that of others is 50.
const shortestFirst = 99
