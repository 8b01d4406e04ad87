package sim

import (
	"cmp"
	"net/url"
	"slices"

	"cirque/internal/ipp"
)

// An acted is what somebody has done with a job that a server was made up with.
type acted struct {
	held, gone bool
	path       string // where it was moved
}

// waiting gives the jobs that wait in a queue: those made up for it that nobody took away, and those moved to it.
func (p *Printer) waiting(path string) []Job {
	p.mu.Lock()
	defer p.mu.Unlock()
	queues := p.queues
	if len(queues) == 0 {
		queues = p.Queues
	}
	var out []Job
	first := 9000
	for _, q := range queues {
		if q.Waiting == 0 {
			continue
		}
		at := "/printers/" + q.Name
		for _, j := range madeUp(at, q, first) {
			a := p.acted[j.ID]
			if a.path != "" {
				j.Path, j.State = a.path, ipp.JobStateOf("pending")
			}
			if a.held {
				j.State = ipp.JobStateOf("pending-held")
			}
			if !a.gone && j.Path == path {
				out = append(out, j)
			}
		}
		first += q.Waiting
	}
	return out
}

// act holds, releases, cancels or moves a job that waits in a queue (RFC 8011, section 4.3).
func (p *Printer) act(path string, op ipp.Op, req ipp.Message) ipp.Message {
	id := req.Number(ipp.OperationGroup, "job-id")
	if !slices.ContainsFunc(p.waiting(path), func(j Job) bool { return j.ID == id }) {
		return req.Respond(ipp.NotFound, "no such job waits")
	}
	to := ""
	if op == ipp.MoveJobs {
		u, err := url.Parse(req.Text(ipp.JobGroup, "job-printer-uri"))
		if err != nil {
			return req.Respond(ipp.BadRequest, "no printer's URI")
		}
		to = u.Path
		if _, known := p.queueAt(to); !known {
			return req.Respond(ipp.NotFound, "no printer at "+to)
		}
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.acted == nil {
		p.acted = map[int]acted{}
	}
	a := p.acted[id]
	a.held = op == ipp.HoldJob || a.held && op != ipp.ReleaseJob
	a.gone = a.gone || op == ipp.CancelJob
	a.path = cmp.Or(to, a.path)
	p.acted[id] = a
	return req.Respond(ipp.OK, "")
}
