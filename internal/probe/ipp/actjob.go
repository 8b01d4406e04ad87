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
	m := ipp.NewRequest(op, c.id.Add(1), queue, ipp.Attr("job-id", ipp.Int(ipp.Integer, int32(id))))
	who := c.peer
	if key != nil {
		who = key.User
	}
	if who != "" {
		m.Groups[0].Attributes = append(m.Groups[0].Attributes, ipp.Attr("requesting-user-name", ipp.Str(ipp.Name, who)))
	}
	if do == server.Move {
		m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: []ipp.Attribute{ipp.Strs(ipp.URI,
			"job-printer-uri", to)}})
	}
	u, err := url.Parse(queue)
	if err != nil {
		return fault.New(fault.Invalid, "uri-invalid", "write ipp://HOST/PATH", "%q is no printer's URI", queue)
	}
	at := *u
	if strings.HasPrefix(u.Path, "/printers/") || strings.HasPrefix(u.Path, "/classes/") {
		at.Path, at.RawPath = "/jobs/", "" // where the common Unix spooler looks after jobs
	}
	_, err = c.exchange(ctx, at.String(), m, nil, asking{key: key})
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

// Ended lists the jobs of a queue that have ended, as far as the spooler remembers them.
func (s *Spooler) Ended(ctx context.Context, queue string) ([]stock.Job, error) {
	return s.ipp.ReadJobs(ctx, s.queueURI(queue), nil, true, mostWaiting)
}

// mostWaiting is how many jobs of a queue are listed.
const mostWaiting = 1000
