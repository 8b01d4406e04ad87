package ipp

import (
	"context"
	"net/url"

	"cirque/internal/ipp"
)

func (s *Spooler) classURI(name string) string { return s.base + "/classes/" + url.PathEscape(name) }

// SetClass makes a class of queues or changes it, and has it print and, unless it refuses, take jobs.
func (s *Spooler) SetClass(ctx context.Context, q SpoolerQueue) error {
	as, err := q.attributes()
	if err != nil {
		return err
	}
	var members []string
	for _, m := range q.Members {
		members = append(members, s.queueURI(m))
	}
	return s.ask(ctx, ipp.SetClass, s.classURI(q.Name), append(as, ipp.Strs(ipp.URI, "member-uris", members...)), nil)
}

// DeleteClass removes a class, and leaves its members; one that is not there is no error.
func (s *Spooler) DeleteClass(ctx context.Context, name string) error {
	return goneAlready(s.ask(ctx, ipp.DeleteClass, s.classURI(name), nil, nil))
}

// Halt has a queue or class print nothing more for now; a job that it was sending waits again.
func (s *Spooler) Halt(ctx context.Context, q SpoolerQueue) error {
	op, uri := ipp.SetQueue, s.queueURI(q.Name)
	if q.Class {
		op, uri = ipp.SetClass, s.classURI(q.Name)
	}
	return s.ask(ctx, op, uri, []ipp.Attribute{ipp.Attr("printer-state", ipp.Int(ipp.Enum,
		int32(ipp.PrinterStopped)))}, nil)
}

// MoveJobs moves all jobs that wait in a queue to another of the same spooler.
func (s *Spooler) MoveJobs(ctx context.Context, from, to string) error {
	uri := s.queueURI(from)
	m := s.ipp.requestAs(s.ipp.peer, ipp.MoveJobs, uri)
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: []ipp.Attribute{ipp.Strs(ipp.URI,
		"job-printer-uri", s.queueURI(to))}})
	_, err := s.ipp.exchange(ctx, s.base+"/jobs/", m, nil, asking{})
	return err
}

// Refuse has a queue or class take no more jobs, and say why; all else of it but its mark stays.
func (s *Spooler) Refuse(ctx context.Context, q SpoolerQueue, mark, says string) error {
	op, uri := ipp.SetQueue, s.queueURI(q.Name)
	if q.Class {
		op, uri = ipp.SetClass, s.classURI(q.Name)
	}
	return s.ask(ctx, op, uri, []ipp.Attribute{ipp.Attr("printer-is-accepting-jobs", ipp.Bool(false)),
		ipp.Strs(ipp.Text, "printer-state-message", says), ipp.Strs(ipp.Text, "printer-organizational-unit", mark)}, nil)
}
