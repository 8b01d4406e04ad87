package printing

import (
	"context"
	"fmt"
	"slices"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
	"cirque/internal/service/worker"
)

// takeLeft goes on with jobs whose sender has ended.
func (r *sender) takeLeft(ctx context.Context) {
	list, err := r.work.LeftJobs(ctx, 64)
	if err != nil {
		r.failed(ctx, "jobs that were left were not found", err)
		return
	}
	for i := range list {
		taken := time.Now()
		got, err := r.store.ChangeJob(ctx, list[i].ID, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
			if j.Held || j.Sender == "" && j.Unknown || j.State != job.Processing && j.State != job.ProcessingStopped {
				return job.Happening{}, nil // somebody else was quicker
			}
			return job.Happening{Event: job.Note, Take: r.cfg.Lasts, Sender: r.cfg.Process,
				Says: "its sender had ended; another goes on"}, j.Happen(job.Note, j.Says, j.Reasons...)
		})
		if err != nil || got.Sender != r.cfg.Process || got.Fence == list[i].Fence {
			r.failed(ctx, fmt.Sprintf("job %d could not be taken over", list[i].ID), err)
			continue
		}
		s := r.hold(ctx, &got, taken)
		go func() {
			defer r.drop(s)
			r.goOn(s, &got)
		}()
	}
}

// goOn goes on with a job that somebody else had in hand.
func (r *sender) goOn(s *sending, j *job.Job) {
	if j.Began == nil { // no byte of it was written
		r.sendAgain(s, "nothing of it had been sent")
		return
	}
	r.regain(s, j, r.signIn(j.Device, j.Far.URI), raw(j.Far.URI))
}

// regain finds out what became of a job whose connection broke, or whose sender ended, after its first byte had been
// sent. Completed there, it is completed. Where the device answers, has not started anew since, and says that it ended
// the job with nothing printed, it is sent again. Else it is not known whether it printed, and somebody decides.
func (r *sender) regain(s *sending, j *job.Job, key *stock.Key, raw bool) {
	if raw {
		r.unknown(s, "the connection broke, and the device says nothing of what it prints")
		return
	}
	silent, canceled := false, false
	for wait := followSoonest; s.ctx.Err() == nil; wait = min(wait*2, 10*time.Second) {
		about, err := r.about(s.ctx, job.Hop{Device: j.Device, URI: j.Far.URI}, key, false)
		if err != nil {
			if !silent {
				silent = true
				if _, err := r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
					return job.Happening{Event: job.Stop}, j.Happen(job.Stop, j.Device+" does not answer: whether it printed is not "+
						"known yet", job.PrinterStopped)
				}); err != nil {
					return
				}
			}
			worker.Pause(s.ctx, wait)
			continue
		}
		same := job.SameBoot(about.Up, j.Far.Up)
		st, known, err := r.find(s, j, key)
		switch {
		case err != nil:
			worker.Pause(s.ctx, wait)
			continue
		case !known && !same:
			r.unknown(s, "the device has started anew since, and knows nothing of it")
			return
		case !known:
			r.unknown(s, "the device knows nothing of it any more")
			return
		case st.State == job.Completed:
			r.atEnd(s, st)
			return
		case st.State.Done() && same && st.Impressions != nil && *st.Impressions == 0:
			r.sendAgain(s, "the device had ended it with nothing printed")
			return
		case st.State.Done():
			r.unknown(s, "the device ended it in the middle")
			return
		case j.Sent == nil && incomplete(st):
			if !canceled {
				canceled = true
				_ = r.cfg.Devices.CancelJob(s.ctx, j.Far.URI, key, j.Far.ID) // it ends by itself, later
				wait = followSoonest
			}
			worker.Pause(s.ctx, wait)
			continue
		}
		r.follow(s, j, st, key)
		return
	}
}

// incomplete says whether a device still waits for the rest of a job.
func incomplete(st job.Status) bool {
	return slices.Contains(st.Reasons, job.Incoming) || slices.Contains(st.Reasons, "job-data-insufficient")
}

// find asks a device about a job, by its number there or, where that never came back, by its name.
func (r *sender) find(s *sending, j *job.Job, key *stock.Key) (st job.Status, known bool, err error) {
	within, cancel := context.WithTimeout(s.ctx, followWithin)
	defer cancel()
	if j.Far.ID == 0 {
		st, known, err = r.cfg.Devices.FindJob(within, j.Far.URI, key, mark(j.ID))
		if err == nil && known {
			j.Far.ID = st.ID
			_, err = r.change(s, func(now *job.Job, _ job.Reserve) (job.Happening, error) {
				now.Far.ID = st.ID
				return job.Happening{Event: job.Note, Quiet: true}, now.Happen(job.Note, now.Says, now.Reasons...)
			})
		}
		return st, known, err
	}
	st, err = r.ask(s, j, key)
	if fault.Is(err, fault.Unknown) {
		return st, false, nil
	}
	return st, err == nil, err
}

// unknown stops a job of which nobody knows whether it printed.
func (r *sender) unknown(s *sending, why string) {
	_, _ = r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) { // else its lease ends, and it is found
		if !j.Kept && j.Sent == nil { // of what streamed, its sender knows that it broke off
			return job.Happening{Event: job.Abort}, j.Happen(job.Abort, "it broke off: "+why, job.AbortedBySystem)
		}
		j.Unknown = true
		r.waits(j, waitsFor)
		return job.Happening{Event: job.Stop, Free: true}, j.Happen(job.Stop, "not known whether it printed: "+why,
			job.PrinterStopped)
	})
}
