package printing

import (
	"context"
	"fmt"
	"slices"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/live"
)

// keptFor is how long a job waits whose queue leads nowhere any more.
const keptFor = 7 * 24 * time.Hour

// give hands a job that waits to a sender, where a device can take it.
func (r *sender) give(ctx context.Context, j *job.Job, loads map[string]job.Load) {
	route, err := job.RouteOf(r.present.View().World, j.Queue, r.now())
	if err != nil {
		if fault.As(err).Code != "no-device" {
			r.suspend(ctx, j.ID, fault.As(err).What)
		}
		return
	}
	if j.To != "" { // it was released to this one device
		route.Hops = nil
		if _, h, ok := r.device(j.To); ok {
			route.Hops = []job.Hop{h}
		}
	}
	if route.Paused {
		return // it waits until the queue is resumed
	}
	order := job.Choose(r.candidates(route, loads, true))
	if len(order) == 0 {
		r.askAgain(ctx, route)
		if none := job.Choose(r.candidates(route, loads, false)); len(none) == 0 && !slices.Contains(j.Reasons,
			job.PrinterStopped) {
			r.wait(ctx, j.ID)
		}
		return
	}
	taken := time.Now()
	got, err := r.store.ChangeJob(ctx, j.ID, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		if j.State != job.Pending || !j.Kept || j.Wakes != nil && j.Wakes.After(r.now()) {
			return job.Happening{}, nil // somebody else was quicker
		}
		j.Device, j.Wakes, j.Unknown = order[0], nil, false
		return job.Happening{Event: job.Send, Take: r.cfg.Lasts, Sender: r.cfg.Process}, j.Happen(job.Send,
			"it is on its way to "+order[0], job.DeviceBusy)
	})
	switch {
	case err != nil:
		r.failed(ctx, fmt.Sprintf("job %d could not be taken", j.ID), err)
		return
	case got.State != job.Processing || got.Sender != r.cfg.Process || got.Fence == j.Fence:
		return
	}
	l := loads[order[0]]
	l.Busy, l.Active = l.Busy+1, l.Active+1
	loads[order[0]] = l
	s := r.hold(ctx, &got, taken)
	go func() {
		defer r.drop(s)
		r.send(s, &got, route, order)
	}()
}

// device finds a device of the estate, with how jobs get there.
func (r *common) device(called string) (*estate.Device, job.Hop, bool) {
	v := r.present.View()
	d, ok := v.Document().Find(estate.Ref{List: "devices", Name: called}).(*estate.Device)
	if !ok {
		return nil, job.Hop{}, false
	}
	return d, job.Hop{Device: called, URI: d.URI, Down: v.World.Live.Device(called) == live.Down}, true
}

// waits has a job wait for so long at most.
func (r *common) waits(j *job.Job, most time.Duration) {
	due := r.now().Add(most)
	j.Due = &due
}

// suspend has a job wait whose queue leads nowhere any more.
func (r *sender) suspend(ctx context.Context, id int64, why string) {
	_, err := r.store.ChangeJob(ctx, id, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		if j.State != job.Pending {
			return job.Happening{}, nil
		}
		r.waits(j, keptFor)
		return job.Happening{Event: job.Hold}, j.Happen(job.Hold, why+": it waits for somebody's decision", job.Suspended)
	})
	r.failed(ctx, fmt.Sprintf("job %d could not be held", id), err)
}

// wait notes once that no device can take a job just now.
func (r *sender) wait(ctx context.Context, id int64) {
	_, err := r.store.ChangeJob(ctx, id, 0, func(j *job.Job, _ job.Reserve) (job.Happening, error) {
		if j.State != job.Pending || slices.Contains(j.Reasons, job.PrinterStopped) {
			return job.Happening{}, nil
		}
		return job.Happening{Event: job.Note}, j.Happen(job.Note, "no device behind its queue can print just now: it goes "+
			"when one is back", job.PrinterStopped)
	})
	r.failed(ctx, fmt.Sprintf("job %d could not be noted", id), err)
}
