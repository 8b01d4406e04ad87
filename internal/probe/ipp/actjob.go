package ipp

import (
	"context"
	"net/url"
	"strings"

	"cirque/core/fault"
	"cirque/core/server"
	"cirque/core/stock"
	"cirque/internal/ipp"
)

// jobOps are the operations by which jobs are held, released and cancelled (RFC 8011, section 4.3).
var jobOps = map[string]ipp.Op{server.Hold: ipp.HoldJob, server.Release: ipp.ReleaseJob, server.Cancel: ipp.CancelJob,
	server.Move: ipp.MoveJobs}

// Act holds, releases or cancels a job that waits in a queue of a server, or moves it to another queue there; queue and
// to are URIs. The server's own rights decide whether it may.
func (c *Client) Act(ctx context.Context, queue string, key *stock.Key, id int, do, to string) error {
	op, ok := jobOps[do]
	if !ok {
		return fault.New(fault.Invalid, "job-do", "write hold, release, cancel or move", "%q cannot be done with a job", do)
	}
	who := c.peer
	if key != nil {
		who = key.User
	}
	m := c.requestAs(who, op, queue, ipp.Attr("job-id", ipp.Int(ipp.Integer, int32(id))))
	if do == server.Move {
		m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: []ipp.Attribute{ipp.Strs(ipp.URI,
			"job-printer-uri", to)}})
	}
	u, err := url.Parse(queue)
	if err != nil {
		return fault.New(fault.Invalid, "uri-invalid", "write ipp://HOST/PATH", "%q is no printer's URI", queue)
	}
	if strings.HasPrefix(u.Path, "/printers/") || strings.HasPrefix(u.Path, "/classes/") {
		at := *u
		at.Path, at.RawPath = "/jobs/", "" // where the common Unix spooler looks after jobs, and others nothing
		answer, err := c.exchange(ctx, at.String(), m, nil, asking{key: key})
		f := fault.As(err)
		if err == nil || f.Code != "path-not-found" && ipp.Status(answer.Code) != ipp.NotFound {
			return err
		}
	}
	_, err = c.exchange(ctx, queue, m, nil, asking{key: key})
	return err
}

// Act is Client.Act for a queue of this spooler, by its name.
func (s *Spooler) Act(ctx context.Context, queue string, id int, do, to string) error {
	if to != "" {
		to = s.queueURI(to)
	}
	return s.ipp.Act(ctx, s.queueURI(queue), nil, id, do, to)
}

// Waiting lists the jobs that wait in a queue.
func (s *Spooler) Waiting(ctx context.Context, queue string) ([]stock.Job, error) {
	return s.ipp.ReadJobs(ctx, s.queueURI(queue), nil, false, mostWaiting)
}

// Ended lists the jobs that have ended, of all queues, as far as the spooler remembers them.
func (s *Spooler) Ended(ctx context.Context) ([]stock.Job, error) {
	return s.ipp.ReadJobs(ctx, s.base+"/", nil, true, mostEnded)
}

// Purge has the spooler forget a job that has ended, with its document.
func (s *Spooler) Purge(ctx context.Context, queue string, id int) error {
	return s.job(ctx, ipp.CancelJob, queue, id, ipp.Group{}, ipp.Attr("purge-job", ipp.Bool(true)))
}

// Priority says how soon a job is to be printed: 1 to 100, higher first (RFC 8011, section 5.2.1).
func (s *Spooler) Priority(ctx context.Context, queue string, id, priority int) error {
	return s.job(ctx, ipp.SetJobAttributes, queue, id, ipp.Group{Tag: ipp.JobGroup, Attributes: []ipp.Attribute{
		ipp.Attr("job-priority", ipp.Int(ipp.Integer, int32(priority)))}})
}

// job asks for something about a job as whoever administers the spooler.
func (s *Spooler) job(ctx context.Context, op ipp.Op, queue string, id int, more ipp.Group,
	ops ...ipp.Attribute) error {
	which := ipp.Attr("job-id", ipp.Int(ipp.Integer, int32(id)))
	m := s.ipp.requestAs(s.ipp.peer, op, s.queueURI(queue), append([]ipp.Attribute{which}, ops...)...)
	if more.Tag != 0 {
		m.Groups = append(m.Groups, more)
	}
	_, err := s.ipp.exchange(ctx, s.base+"/jobs/", m, nil, asking{})
	return err
}

// How many jobs are listed: of a queue those that wait, of the whole spooler those that have ended.
const (
	mostWaiting = 1000
	mostEnded   = 2000
)
