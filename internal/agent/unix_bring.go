package agent

import (
	"context"
	"fmt"
	"slices"
	"time"

	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/server"
	ippclient "cirque/internal/probe/ipp"
)

// Bring makes a queue or changes it.
func (u *UnixServer) Bring(ctx context.Context, w server.Now, take bool) error {
	if len(w.Devices) == 0 {
		return fmt.Errorf("%s leads to no device", w.Name)
	}
	for _, d := range w.Devices {
		if !estate.PrintsTo(d) {
			return fmt.Errorf("%q leads to nothing that prints, and is not set up", d)
		}
	}
	look := u.ours
	if take {
		look = u.spooler.Queue
	}
	there, err := look(ctx, w.Name)
	if err != nil {
		return err
	}
	ppd, err := u.description(ctx, w)
	if err != nil {
		return err
	}
	if len(w.Devices) == 1 {
		return u.bringQueue(ctx, w, there, ppd)
	}
	return u.bringClass(ctx, w, there, ppd)
}

// ours gives a queue of a name that is there, nil for none: an error where somebody else made it.
func (u *UnixServer) ours(ctx context.Context, called string) (*ippclient.SpoolerQueue, error) {
	q, err := u.spooler.Queue(ctx, called)
	if err != nil || q == nil {
		return nil, err
	}
	if _, own := readShared(q.Mark); !own {
		return nil, fmt.Errorf("a queue %s is already there, and somebody else made it", q.Name)
	}
	return q, nil
}

// description is the driver, fitted; nil for none.
func (u *UnixServer) description(ctx context.Context, w server.Now) ([]byte, error) {
	if w.Exact == "" {
		delete(u.lacks, w.Name)
		return nil, nil
	}
	if u.drivers == nil {
		return nil, endpoint.NoDriver{Err: fmt.Errorf("the driver %q is not here", w.Exact)}
	}
	ppd, err := u.drivers(ctx, w.Exact)
	if err != nil {
		return nil, err
	}
	ppd, u.lacks[w.Name] = driver.Fit(ppd, w.Units)
	return ppd, nil
}

// bringQueue makes it one queue; a class that had its name goes, once the queue's jobs are kept.
func (u *UnixServer) bringQueue(ctx context.Context, w server.Now, there *ippclient.SpoolerQueue, ppd []byte) error {
	q := u.queue(w, there)
	q.Name, q.Device = w.Name, w.Devices[0]
	m := markOf(w)
	if there == nil || !there.Class {
		return u.write(ctx, q, m, w.Options, ppd)
	}
	// The two cannot have one name at a time: a member keeps the jobs meanwhile.
	aside := q
	aside.Name, aside.Was = member(w.Name, w.Devices[0]), nil
	of := m
	of.Of = w.Name
	if _, err := u.ours(ctx, aside.Name); err != nil {
		return err
	}
	if err := u.write(ctx, aside, of, w.Options, ppd); err != nil {
		return err
	}
	if err := u.clear(ctx, there, aside.Name); err != nil {
		return err
	}
	if err := u.spooler.DeleteClass(ctx, w.Name); err != nil {
		return err
	}
	if err := u.write(ctx, q, m, w.Options, ppd); err != nil {
		return err
	}
	for _, called := range there.Members {
		if err := u.handBack(ctx, called, w.Name); err != nil {
			return err
		}
	}
	return u.handBack(ctx, aside.Name, w.Name)
}

// handBack gives a member's jobs to another queue, and takes the member away.
func (u *UnixServer) handBack(ctx context.Context, called, to string) error {
	q, err := u.spooler.Queue(ctx, called)
	if err != nil || q == nil {
		return err
	}
	if m, own := readShared(q.Mark); !own || m.Of == "" {
		return nil // somebody else's, or a queue for itself that was in somebody else's class
	}
	if err := u.clear(ctx, q, to); err != nil {
		return err
	}
	return u.spooler.Delete(ctx, called)
}

// clear moves a queue's jobs to another queue, and waits until none of them is being sent by the old one: the spooler
// does not bear the end of a queue with which a job is not done.
func (u *UnixServer) clear(ctx context.Context, q *ippclient.SpoolerQueue, to string) error {
	ctx, cancel := context.WithTimeout(ctx, clearWithin)
	defer cancel()
	if q.State != stoppedState {
		if err := u.spooler.Halt(ctx, *q); err != nil {
			return err
		}
	}
	moved := false
	for {
		now, err := u.spooler.Queue(ctx, q.Name)
		switch {
		case err != nil:
			return err
		case now == nil || moved && now.Jobs == 0:
			return nil
		case now.State == stoppedState && !moved:
			if now.Jobs == 0 {
				return nil
			}
			if err := u.spooler.MoveJobs(ctx, q.Name, to); err != nil {
				return err
			}
			moved = true
		}
		if !sleep(ctx, clearEvery) {
			return fmt.Errorf("the jobs that wait in %s could not be moved to %s within %s", q.Name, to, clearWithin)
		}
	}
}

// How long it may take until a queue has let go of its jobs, and how often that is looked at.
const (
	clearWithin = 20 * time.Second
	clearEvery  = 50 * time.Millisecond
)

// bringClass makes it a class of member queues.
func (u *UnixServer) bringClass(ctx context.Context, w server.Now, there *ippclient.SpoolerQueue, ppd []byte) error {
	m := markOf(w)
	of := m
	of.Of = w.Name
	class := u.queue(w, there)
	class.Name, class.Class = w.Name, true
	for _, device := range w.Devices {
		q := u.queue(w, nil)
		q.Name, q.Device, q.Shared, q.Refuses = member(w.Name, device), device, false, ""
		q.Allowed, q.Denied = nil, nil // the class decides who prints
		if before, err := u.ours(ctx, q.Name); err != nil {
			return err
		} else if before != nil {
			q.Drop, q.Was = dropped(before, w.Options), before
		}
		if err := u.write(ctx, q, of, w.Options, ppd); err != nil {
			return err
		}
		class.Members = append(class.Members, q.Name)
	}
	if there != nil && !there.Class {
		if err := u.clear(ctx, there, class.Members[0]); err != nil {
			return err
		}
		if err := u.spooler.Delete(ctx, w.Name); err != nil {
			return err
		}
	}
	if err := u.write(ctx, class, m, w.Options, nil); err != nil {
		return err
	}
	if there != nil && there.Class {
		for _, called := range there.Members {
			if !slices.Contains(class.Members, called) {
				if err := u.handBack(ctx, called, class.Members[0]); err != nil {
					return err
				}
			}
		}
	}
	return nil
}
