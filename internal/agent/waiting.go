package agent

import (
	"cmp"
	"context"

	"cirque/core/endpoint"
	"cirque/core/stock"
	"cirque/core/words"
)

// listsJobs is a spooler that tells which jobs a queue has, in the order in which they are printed.
type listsJobs interface {
	Waiting(ctx context.Context, queue, user string) ([]stock.Job, error)
}

// Waiting lists a queue's jobs.
func (u *Unix) Waiting(ctx context.Context, queue, person string) ([]stock.Job, error) {
	return u.spooler.Waiting(ctx, unixName(queue, person))
}

// waiting checks what waits in a queue: one that stands still is what somebody asks about. Nothing is said where
// nothing waits.
func (a *Agent) waiting(ctx context.Context, w endpoint.Want, of string, add addCheck) {
	s, ok := a.cfg.Spooler.(listsJobs)
	if !ok {
		return
	}
	ctx, cancel := context.WithTimeout(ctx, checkWithin)
	defer cancel()
	check := "Do the jobs in " + of + " get on?"
	list, err := s.Waiting(ctx, w.Queue, w.User)
	switch {
	case err != nil:
		add(check, endpoint.Unproven, "look at the queue at the machine", "the spooler does not list them: %v", err)
	case len(list) > 0:
		first := list[0]
		result, says := endpoint.Yes, cmp.Or(first.Message, first.State)
		if first.State == "processing-stopped" || first.State == "pending-held" {
			result = endpoint.No
		}
		add(check, result, "see to what the spooler says, or delete the job there",
			"%s; the first is of %s: %s", words.Count(len(list), "job waits", "jobs wait"), cmp.Or(first.Owner, "nobody"), says)
	}
}
