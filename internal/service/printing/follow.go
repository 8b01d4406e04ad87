package printing

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/service/worker"
)

// How often a device is asked about a job, first and at last; and how long one question may take.
const (
	followSoonest = 150 * time.Millisecond
	followLatest  = 3 * time.Second
	followWithin  = 15 * time.Second
)

// follow asks a device about a job that it has taken, until it has come to an end there.
func (r *sender) follow(s *sending, j *job.Job, st job.Status, key *stock.Key) {
	wait, asked := followSoonest, false
	stopped := time.Time{} // since when the device has stood still with it
	moving := false
	for {
		if st.State.Done() {
			if moving && st.State != job.Completed && (st.Impressions == nil || *st.Impressions == 0) {
				r.sendAgain(s, "it goes to another device, since nothing of it had come out of "+j.Device)
				r.hands.rests(j.Device, time.Now())
				return
			}
			r.atEnd(s, st)
			return
		}
		got, err := r.progress(s, j, st)
		if err != nil {
			return
		}
		*j = got
		switch {
		case st.State != job.ProcessingStopped:
			stopped = time.Time{}
		case stopped.IsZero():
			stopped = time.Now()
		}
		if !asked && (halted(s) || r.shouldMove(j, st, stopped)) {
			asked, moving = true, !halted(s)
			if err := r.cfg.Devices.CancelJob(s.ctx, j.Far.URI, key, j.Far.ID); err != nil {
				r.log.Info("a device does not cancel a job", "job", j.ID, "device", j.Device, "error", err)
			}
			wait = followSoonest
		}
		select {
		case <-s.ctx.Done():
			return
		case <-whenHalted(s, asked):
			continue
		case <-time.After(wait):
		}
		wait = min(wait*3/2, followLatest)
		if st, err = r.ask(s, j, key); err != nil {
			if s.ctx.Err() == nil {
				r.regain(s, j, key, false)
			}
			return
		}
	}
}

func halted(s *sending) bool {
	select {
	case <-s.stop:
		return true
	default:
		return false
	}
}

// whenHalted is never, where cancelling has been asked for already.
func whenHalted(s *sending, asked bool) <-chan struct{} {
	if asked {
		return nil
	}
	return s.stop
}

// ask asks a device about a job, once more where it did not answer at first.
func (r *sender) ask(s *sending, j *job.Job, key *stock.Key) (st job.Status, err error) {
	for range 2 {
		within, cancel := context.WithTimeout(s.ctx, followWithin)
		st, err = r.cfg.Devices.JobStatus(within, j.Far.URI, key, j.Far.ID)
		cancel()
		if err == nil && st.Name != "" && !strings.HasSuffix(st.Name, mark(j.ID)) {
			return st, fault.New(fault.Unknown, "job-unknown", "look at the device", "its job %d is another", j.Far.ID)
		}
		if err == nil || fault.Is(err, fault.Unknown) {
			return st, err
		}
		worker.Pause(s.ctx, followSoonest)
	}
	return st, err
}

// shouldMove says whether a job goes elsewhere by itself: its device has stood still with it for so long, and nothing
// of it has come out.
func (r *sender) shouldMove(j *job.Job, st job.Status, stopped time.Time) bool {
	after := r.present.View().Document().JobSetting().MoveAfter.D()
	return after > 0 && j.Kept && !stopped.IsZero() && time.Since(stopped) >= after && st.Impressions != nil &&
		*st.Impressions == 0
}

// progress writes down what a device says of a job, where that is something new.
func (r *sender) progress(s *sending, j *job.Job, st job.Status) (job.Job, error) {
	same := j.Impressions == st.Impressions || j.Impressions != nil && st.Impressions != nil &&
		*j.Impressions == *st.Impressions
	e, says, reasons := job.Note, "", slices.Clone(st.Reasons)
	switch {
	case st.State == job.ProcessingStopped:
		e, says = job.Stop, j.Device+" has stopped"
		if !slices.ContainsFunc(reasons, func(r string) bool { return strings.HasPrefix(r, "printer-stopped") }) {
			reasons = append(reasons, job.PrinterStopped)
		}
	case j.State == job.ProcessingStopped:
		e, says = job.Resume, j.Device+" goes on with it"
	}
	if halted(s) && !slices.Contains(reasons, job.StoppingPoint) {
		reasons = append(reasons, job.StoppingPoint)
	}
	if len(reasons) == 0 {
		reasons = []string{job.Printing}
	}
	if says = cmp.Or(says, st.Says, j.Device+" is printing it"); st.Says != "" && says != st.Says {
		says += ": " + st.Says
	}
	if same && (e == job.Note || j.State == job.ProcessingStopped && e == job.Stop) && slices.Equal(reasons, j.Reasons) {
		return *j, nil
	}
	quiet := e == job.Note && slices.Equal(reasons, j.Reasons)
	return r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		j.Impressions = st.Impressions
		return job.Happening{Event: e, Quiet: quiet}, j.Happen(e, says, reasons...)
	})
}

// atEnd brings a job to the end that it came to at its device.
func (r *sender) atEnd(s *sending, st job.Status) {
	r.finish(s, func(j *job.Job) (job.Happening, error) {
		j.Impressions = st.Impressions
		h := job.Happening{Event: job.Finish}
		switch st.State {
		case job.Completed:
			reason := job.Successful
			for _, w := range []string{job.WithErrors, job.WithWarnings} {
				if slices.Contains(st.Reasons, w) {
					reason = w
				}
			}
			if len(j.Replaced) > 0 && reason == job.Successful {
				reason = job.WithWarnings
			}
			says := "printed by " + j.Device
			if n := st.Impressions; n != nil && *n > 0 {
				says = fmt.Sprintf("%s printed by %s", words.Count(*n, "page"), j.Device)
			}
			return h, j.Happen(job.Finish, saysReplaced(says, j.Replaced), reason)
		case job.Canceled:
			h.Event = job.Cancel
			if j.Stopping {
				return h, j.Happen(job.Cancel, j.Says, job.CanceledByUser)
			}
			return h, j.Happen(job.Cancel, job.Sentence(job.CanceledAtDevice), job.CanceledAtDevice)
		}
		h.Event = job.Abort
		return h, j.Happen(job.Abort, j.Device+" gave it up: "+cmp.Or(st.Says, strings.Join(st.Reasons, ", "),
			"it gives no reason"), append(st.Reasons, job.AbortedBySystem)...)
	})
}

// sendAgain has a job in hand sent anew, since nothing of it has come out.
func (r *sender) sendAgain(s *sending, says string) {
	_, _ = r.change(s, func(j *job.Job, _ job.Reserve) (job.Happening, error) { // else its lease ends, and it is found
		if !j.Kept {
			return job.Happening{Event: job.Abort}, j.Happen(job.Abort, "the device broke off, and nothing of it is kept: "+
				"send it again", job.AbortedBySystem)
		}
		if j.Stopping {
			h := job.Happening{Event: job.Cancel}
			r.erases(j, &h)
			h.Erase = true
			return h, j.Happen(job.Cancel, j.Says, job.CanceledByUser)
		}
		j.Unsent()
		return job.Happening{Event: job.Return, Free: true}, j.Happen(job.Return, says, job.Queued)
	})
}
