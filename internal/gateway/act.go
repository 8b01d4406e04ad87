package gateway

import (
	"context"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/ipp"
)

// cancelJob ends a job (RFC 8011, section 4.3.3).
func (g *Gateway) cancelJob(ctx context.Context, r *asked) ipp.Message {
	return g.act(ctx, r, g.jobs.Cancel)
}

// holdJob has a job wait (RFC 8011, section 4.3.5).
func (g *Gateway) holdJob(ctx context.Context, r *asked) ipp.Message {
	return g.act(ctx, r, g.jobs.HoldJob)
}

// releaseJob lets a job go (RFC 8011, section 4.3.6). One that waits for its owner goes where it may, if that is one
// device.
func (g *Gateway) releaseJob(ctx context.Context, r *asked) ipp.Message {
	return g.act(ctx, r, func(ctx context.Context, p *access.Principal, id int64) (job.Job, error) {
		return g.jobs.Release(ctx, p, id, "")
	})
}

// act does something with the job that a request names.
func (g *Gateway) act(ctx context.Context, r *asked, do func(context.Context, *access.Principal, int64) (job.Job,
	error)) ipp.Message {
	if r.job == 0 {
		return r.Respond(ipp.BadRequest, "the request names no job")
	}
	j, err := do(ctx, r.by, r.job)
	if err != nil {
		return g.refuse(r, err)
	}
	return r.Respond(ipp.OK, cut(j.Says, 255))
}

// cancelMyJobs ends all jobs of whoever asks, or those of them that are named (PWG 5100.7, section 4.2). Where one of
// these cannot be ended, none is.
func (g *Gateway) cancelMyJobs(ctx context.Context, r *asked) ipp.Message {
	named, some := r.Find(ipp.OperationGroup, "job-ids")
	var ids []int64
	if some {
		for _, v := range named.Values {
			j, _, err := g.jobs.Show(ctx, r.by, int64(v.Int))
			if err == nil && j.State.Done() {
				err = fault.New(fault.Conflict, "job-state", "leave it out", "the job %d is %s", v.Int, j.State)
			}
			if err != nil {
				m := g.refuse(r, err)
				m.Groups = append(m.Groups, ipp.Group{Tag: ipp.UnsupportedGroup, Attributes: []ipp.Attribute{ipp.Ints(
					ipp.Integer, "job-ids", int(v.Int))}})
				return m
			}
			ids = append(ids, j.ID)
		}
	} else {
		list, err := g.jobs.List(ctx, r.by, job.Filter{Queues: []string{r.door.Queue.Name}, Owners: []string{r.door.Owner},
			Open: true, Limit: 10_000})
		if err != nil {
			return g.refuse(r, err)
		}
		for _, j := range list {
			ids = append(ids, j.ID)
		}
	}
	for _, id := range ids {
		if _, err := g.jobs.Cancel(ctx, r.by, id); err != nil && !fault.Is(err, fault.Conflict) { // it has just ended
			return g.refuse(r, err)
		}
	}
	return r.Respond(ipp.OK, "")
}

// identifyPrinter has the devices of a queue show which they are (PWG 5100.13, section 5.1).
func (g *Gateway) identifyPrinter(ctx context.Context, r *asked) ipp.Message {
	if err := g.jobs.Identify(ctx, r.door, r.Text(ipp.OperationGroup, "message")); err != nil {
		return g.refuse(r, err)
	}
	return r.Respond(ipp.OK, "")
}
