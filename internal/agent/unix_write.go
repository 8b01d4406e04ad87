package agent

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"

	"cirque/core/server"
	"cirque/core/words"
	ippclient "cirque/internal/probe/ipp"
)

func markOf(w server.Now) sharedMark {
	m := sharedMark{By: server.MarkBy, Queue: w.Queue, Driver: w.Driver, Exact: w.Exact, Package: w.Package,
		Units: w.Units, Closed: w.Closed != "", Nobody: w.People.Nobody(), Running: w.Running}
	for o := range w.Options {
		m.Options = append(m.Options, o)
	}
	slices.Sort(m.Options)
	return m
}

// queue is what queue and class have in common.
func (u *UnixServer) queue(w server.Now, there *ippclient.SpoolerQueue) ippclient.SpoolerQueue {
	q := ippclient.SpoolerQueue{Title: w.Comment, Location: w.Place, Options: w.Options, Shared: true, Refuses: w.Closed}
	switch {
	case w.People.Nobody(): // it takes no jobs
	case w.People.Everyone:
		q.Denied = w.People.Names
	default:
		q.Allowed = w.People.Names
	}
	if there != nil {
		q.Drop = dropped(there, w.Options)
	}
	if there != nil && there.Class == (len(w.Devices) > 1) {
		q.Was = there
	}
	return q
}

// dropped are the options that a queue was given and is to lose.
func dropped(there *ippclient.SpoolerQueue, options map[string]any) (out []string) {
	before, own := readShared(there.Mark)
	if !own {
		return nil
	}
	for _, o := range before.Options {
		if _, still := options[o]; !still {
			out = append(out, o)
		}
	}
	return out
}

// write sets a queue with its mark, and once more where the spooler shows an option otherwise than it was set: of some
// it shows what the driver's description says, and gives jobs what was set all the same.
func (u *UnixServer) write(ctx context.Context, q ippclient.SpoolerQueue, m sharedMark, options map[string]any,
	ppd []byte) error {
	if ppd != nil {
		m.Sum = sumOf(ppd)
	}
	if q.Was != nil {
		was, own := readShared(q.Was.Mark)
		q.SameDriver = own && was.Sum == m.Sum && was.Exact == m.Exact
	}
	set := func() error {
		mark, err := json.Marshal(m)
		if err != nil {
			return err
		}
		if len(mark) > maxUnixMark {
			return fmt.Errorf("the queue %s has more settings than the spooler keeps", q.Name)
		}
		q.Mark = string(mark)
		if q.Class {
			return u.spooler.SetClass(ctx, q)
		}
		var description io.Reader
		if ppd != nil && !q.SameDriver {
			description = bytes.NewReader(ppd)
		}
		return u.spooler.Set(ctx, q, description)
	}
	if err := set(); err != nil || len(options) == 0 {
		return err
	}
	now, err := u.spooler.Queue(ctx, q.Name)
	if err != nil || now == nil {
		return err
	}
	for option, value := range options {
		if fmt.Sprint(now.Options[option]) != fmt.Sprint(value) {
			if m.Shown == nil {
				m.Shown, m.Set = map[string]any{}, map[string]any{}
			}
			m.Shown[option], m.Set[option] = now.Options[option], value
		}
	}
	if m.Shown == nil {
		return nil
	}
	q.Was, q.SameDriver = now, true
	return set()
}

// Drop takes a queue away.
func (u *UnixServer) Drop(ctx context.Context, called string) error {
	q, err := u.spooler.Queue(ctx, called)
	if err != nil || q == nil {
		return err
	}
	m, own := readShared(q.Mark)
	if !own {
		return fmt.Errorf("somebody else made the queue %s", called)
	}
	waiting := q.Jobs
	for _, x := range q.Members {
		if of, err := u.spooler.Queue(ctx, x); err == nil && of != nil {
			waiting += of.Jobs
		}
	}
	if waiting > 0 {
		if q.Accepting {
			if err := u.refuse(ctx, *q, m); err != nil {
				return err
			}
		}
		return fmt.Errorf("%s still wait in %s: it takes no more, and goes once they are printed",
			words.Count(waiting, "job"), called)
	}
	if !q.Class {
		return u.spooler.Delete(ctx, called)
	}
	if err := u.spooler.DeleteClass(ctx, called); err != nil {
		return err
	}
	for _, x := range q.Members {
		of, err := u.spooler.Queue(ctx, x)
		if err != nil {
			return err
		}
		if of == nil {
			continue
		}
		if mark, own := readShared(of.Mark); own && mark.Of == called {
			if err := u.spooler.Delete(ctx, x); err != nil {
				return err
			}
		}
	}
	return nil
}

// refuse has a queue take no more jobs.
func (u *UnixServer) refuse(ctx context.Context, q ippclient.SpoolerQueue, m sharedMark) error {
	m.Closed = true
	mark, err := json.Marshal(m)
	if err != nil {
		return err
	}
	return u.spooler.Refuse(ctx, q, string(mark), "the queue "+m.Queue+" is being taken away")
}
