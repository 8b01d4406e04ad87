package windows

import (
	"context"
	"fmt"
	"time"

	"cirque/core/stock"
	"cirque/internal/winspool"
)

// jobEvery is how often it is looked how far a job is.
const jobEvery = 200 * time.Millisecond

// TestPage prints lines to a queue through its driver, as a program would, or, with raw, past it, and follows the job;
// done says that the spooler has handed all of it on.
func (s *Spooler) TestPage(ctx context.Context, called, person string, lines []string, raw bool) (says string,
	done bool, err error) {
	k, err := s.kept()
	if err != nil {
		return "", false, err
	}
	in, err := s.nameOf(k, called, person)
	if err != nil {
		return "", false, err
	}
	id, err := s.parts.Jobs.Print(in, "Test page", lines, raw)
	if err != nil {
		return "", false, err
	}
	says = fmt.Sprintf("job %d", id)
	for {
		j, there, err := s.parts.Jobs.Job(in, id)
		switch {
		case err != nil:
			return says, false, err
		case !there || j.Status&(winspool.JobPrinted|winspool.JobCompleted) != 0:
			return says + " was sent to the printer", true, nil
		case j.Status&(winspool.JobDeleted|winspool.JobDeleting) != 0:
			return says + " was deleted", false, nil
		}
		says = fmt.Sprintf("job %d %s", id, winspool.JobInWords(j))
		wait := time.NewTimer(jobEvery)
		select {
		case <-ctx.Done():
			wait.Stop()
			return says, false, nil
		case <-wait.C:
		}
	}
}

// Waiting lists the jobs of a queue, in the order in which they are printed.
func (s *Spooler) Waiting(_ context.Context, called, person string) ([]stock.Job, error) {
	k, err := s.kept()
	if err != nil {
		return nil, err
	}
	in, err := s.nameOf(k, called, person)
	if err != nil {
		return nil, err
	}
	list, err := s.parts.Jobs.List(in)
	if err != nil {
		return nil, err
	}
	out := []stock.Job{}
	for _, j := range list {
		one := stock.Job{ID: int(j.ID), Queue: called, Name: j.Document, Owner: s.person(j.User), State: "pending",
			Message: winspool.JobInWords(j), Pages: int(j.Pages)}
		switch {
		case j.Status&(winspool.JobError|winspool.JobOffline|winspool.JobPaperOut|winspool.JobBlocked) != 0:
			one.State = "processing-stopped"
		case j.Status&winspool.JobPaused != 0:
			one.State = "pending-held"
		case j.Status&winspool.JobPrinting != 0:
			one.State = "processing"
		}
		if at, err := time.Parse(time.RFC3339, j.Submitted); err == nil {
			one.At = &at
		}
		out = append(out, one)
	}
	return out, nil
}
