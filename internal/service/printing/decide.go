package printing

import (
	"context"

	"cirque/core/access"
	"cirque/core/job"
)

// Decide says of a job of which it is not known whether it printed that it has, or that it is to be sent again.
func (r *Room) Decide(ctx context.Context, p *access.Principal, id int64, printed bool) (job.Job, error) {
	if _, _, err := r.own(ctx, p, id); err != nil {
		return job.Job{}, err
	}
	j, err := r.store.ChangeJob(ctx, id, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		if !j.Unknown || j.State != job.ProcessingStopped {
			return job.Happening{}, notNow(j, "decided")
		}
		j.Unknown = false
		if printed {
			h := job.Happening{Event: job.Finish, Person: p.Name}
			err := j.Happen(job.Finish, p.Name+" says that it was printed", job.Successful)
			r.erases(j, &h)
			return h, err
		}
		if !j.Kept {
			return job.Happening{}, notNow(j, "sent again: nothing of it is kept")
		}
		j.Unsent()
		r.waits(j, waitsFor)
		return job.Happening{Event: job.Return, Person: p.Name, Free: true}, j.Happen(job.Return, p.Name+" has it sent again",
			job.Queued)
	})
	if err == nil && !j.Kept {
		r.removeDocument(id)
	}
	r.look()
	return j, err
}
