package printing

import (
	"context"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/words"
	"cirque/internal/service/worker"
)

// How often it is looked what is due, how long a job waits for its document, how often records and documents are looked
// through, and how old a document is that belongs to no job.
const (
	dueEvery    = 10 * time.Second
	unfedFor    = 120 * time.Second
	forgetEvery = time.Hour
	strayAfter  = time.Hour
)

// times does with jobs what it is time for.
type times struct{ *common }

// keepTimes does with jobs what it is time for.
func (r *times) keepTimes(ctx context.Context) error {
	forgotten := time.Time{}
	for ctx.Err() == nil {
		r.doDue(ctx)
		if time.Since(forgotten) > forgetEvery {
			forgotten = time.Now()
			r.forget(ctx)
		}
		worker.Pause(ctx, min(dueEvery, 10*r.cfg.Every))
	}
	return nil
}

// doDue does what is due, a while's worth of it at a time.
func (r *times) doDue(ctx context.Context) {
	for ctx.Err() == nil {
		list, err := r.work.DueJobs(ctx, unfedFor, 500)
		if err != nil {
			r.failed(ctx, "jobs that are due were not found", err)
			return
		}
		did := 0
		for _, id := range list {
			j, err := r.store.ChangeJob(ctx, id, 0, r.due)
			if err != nil && !fault.Is(err, fault.Unknown) {
				r.failed(ctx, "a job that is due stays as it is", err)
				continue
			}
			did++
			if !j.Kept {
				r.removeDocument(id)
			}
		}
		if did < 500 {
			r.look()
			return
		}
	}
}

// due does with one job what it is time for.
func (r *times) due(j *job.Job, reserve job.Reserve) (job.Happening, error) {
	now := r.now()
	past := func(t *time.Time) bool { return t != nil && !t.After(now) }
	switch {
	case j.Held:
		return job.Happening{}, nil // it waits for its sending to end
	case past(j.EraseAt):
		j.EraseAt = nil
		return job.Happening{Event: job.Note, Erase: true, Quiet: true}, nil
	case j.State.Done():
		return job.Happening{}, nil
	case past(j.Due):
		h := job.Happening{Event: job.Expire, Erase: j.Kept}
		return h, j.Happen(job.Expire, "it had waited too long, and was deleted", job.AbortedBySystem)
	case j.State == job.Pending && !j.Kept && j.Began == nil && now.Sub(j.Changed) > unfedFor:
		return job.Happening{Event: job.Abort}, j.Happen(job.Abort, "its document never came", job.AbortedBySystem)
	case j.State == job.PendingHeld && past(j.Wakes):
		return r.wakes(j, reserve)
	}
	return job.Happening{}, nil
}

// wakes looks at a job again that waited for hours or for the next window of an allowance.
func (r *times) wakes(j *job.Job, reserve job.Reserve) (job.Happening, error) {
	j.Wakes = nil
	route, err := job.RouteOf(r.present.View().World, j.Queue, r.now())
	if err != nil {
		r.waits(j, keptFor)
		return job.Happening{Event: job.Hold}, j.Happen(job.Hold, fault.As(err).What+": it waits for somebody's decision",
			job.Suspended)
	}
	d := r.doorOf(j, route)
	windows, err := r.windows(d.context, route.Queue.Name)
	if err != nil {
		return job.Happening{}, err
	}
	h, err := r.admit(d, j, job.Release, false, windows, reserve)
	if f := fault.As(err); err != nil && f.Code == job.LimitReached {
		return job.Happening{Event: job.Abort, Erase: j.Kept}, j.Happen(job.Abort, f.What, job.LimitReached)
	}
	return h, err
}

// forget takes out old records, and documents that belong to no job.
func (r *times) forget(ctx context.Context) {
	keep := r.present.View().Document().JobSetting().KeepRecords.D()
	for ctx.Err() == nil {
		n, err := r.work.ForgetJobs(ctx, keep, 5000)
		if err != nil {
			r.failed(ctx, "old records of jobs stay", err)
			return
		}
		if n < 5000 {
			break
		}
	}
	if err := r.work.SweepChunks(ctx, strayAfter); err != nil {
		r.failed(ctx, "documents that belong to no job stay in the database", err)
	}
	if r.cfg.Swept == nil {
		return
	}
	n, err := r.cfg.Swept(strayAfter, func(ids []int64) (map[int64]bool, error) { return r.work.KeptDocuments(ctx, ids) })
	if err != nil {
		r.failed(ctx, "documents that belong to no job stay", err)
	}
	if n > 0 {
		r.log.Info("documents that belonged to no job were taken away", "how many", words.Count(n, "document"))
	}
}
