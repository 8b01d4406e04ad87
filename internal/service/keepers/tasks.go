package keepers

import (
	"context"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/server"
)

// doneWithin is how long it is waited until an agent has done a task; again is how often it is looked, where no notice
// comes.
const (
	doneWithin = 15 * time.Second
	again      = time.Second
)

// Heard says whether a server is kept by an agent that has been heard of lately, so that it can be asked.
func (s *Room) Heard(ctx context.Context, called string) (bool, error) {
	v := s.present.View()
	of, err := s.server(v, called)
	if err != nil {
		return false, nil //nolint:nilerr // it is not kept
	}
	records, err := s.records(ctx)
	r := recordOf(records, of.KeptBy())
	return r != nil && server.StateOf(r, nil, s.cfg.Now(), v.ReportsEvery()) != server.Silent, err
}

// Do has the agent that keeps a server do something with a job, and waits until it has; who asks has been let do so. An
// Unavailable fault says that the agent has not answered: it does it when it does.
func (s *Room) Do(ctx context.Context, called string, t server.Task, author string) error {
	of, err := s.server(s.present.View(), called)
	if err != nil {
		return err
	}
	notices, stop := s.present.Hub.Subscribe(event.Kept)
	defer stop()
	id, err := s.store.AddTask(ctx, called, of.KeptBy(), t, author)
	if err != nil {
		return err
	}
	s.present.Agents.Wake(of.KeptBy()) // here at once; the other processes hear of it
	late := time.NewTimer(doneWithin)
	defer late.Stop()
	look := time.NewTicker(again)
	defer look.Stop()
	for {
		d, err := s.store.TaskDone(ctx, id)
		switch {
		case err != nil:
			return err
		case d != nil && !d.OK:
			return fault.New(fault.Conflict, "job-refused", "look at the job on the server: cirque server jobs "+called,
				"%s does not do it: %s", called, d.Says)
		case d != nil:
			return nil
		}
		select {
		case <-notices:
		case <-look.C:
		case <-late.C:
			return fault.New(fault.Unavailable, "agent-silent", "see cirque server kept "+called, "the agent on %s has not "+
				"answered yet; it does it as soon as it hears of it", of.KeptBy())
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}
