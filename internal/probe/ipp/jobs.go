package ipp

import (
	"cmp"
	"context"
	"fmt"
	"net/url"
	"strings"
	"time"

	"cirque/core/stock"
	"cirque/internal/ipp"
)

// jobAttributes are what is read of a job.
var jobAttributes = []string{"job-id", "job-name", "job-originating-user-name", "job-originating-host-name",
	"job-state", "job-state-reasons", "job-state-message", "job-printer-state-message", "job-k-octets",
	"job-impressions-completed", "job-printer-uri",
	"time-at-creation", "time-at-completed", "date-time-at-creation", "date-time-at-completed", "printer-up-time"}

// ReadJobs lists a queue's jobs: those that wait, or those that it remembers as ended.
func (c *Client) ReadJobs(ctx context.Context, uri string, key *stock.Key, ended bool, limit int) ([]stock.Job, error) {
	which := "not-completed"
	if ended {
		which = "completed"
	}
	req := ipp.NewRequest(ipp.GetJobs, c.id.Add(1), uri, ipp.Attr("limit", ipp.Int(ipp.Integer, int32(limit))),
		ipp.Strs(ipp.Keyword, "which-jobs", which), ipp.Strs(ipp.Keyword, "requested-attributes", jobAttributes...))
	m, err := c.exchange(ctx, uri, req, nil, asking{key: key, header: listHeader, attributes: listAttributes})
	if err != nil {
		return nil, err
	}
	out := []stock.Job{}
	for _, g := range m.Groups {
		if g.Tag == ipp.JobGroup && len(out) < limit {
			out = append(out, jobOf(g.One()))
		}
	}
	return out, nil
}

func jobOf(m ipp.Message) stock.Job {
	n := func(name string) int { return m.Number(ipp.JobGroup, name) }
	j := stock.Job{ID: n("job-id"), Name: m.Text(ipp.JobGroup, "job-name"), Owner: m.Text(ipp.JobGroup,
		"job-originating-user-name"), From: m.Text(ipp.JobGroup, "job-originating-host-name"),
		State: ipp.JobState(n("job-state")), Reasons: reasonsOf(m.Texts(ipp.JobGroup, "job-state-reasons")),
		Message: cmp.Or(m.Text(ipp.JobGroup, "job-printer-state-message"), m.Text(ipp.JobGroup, "job-state-message")),
		KiB:     n("job-k-octets"), Pages: n("job-impressions-completed")}
	if u, err := url.Parse(m.Text(ipp.JobGroup, "job-printer-uri")); err == nil {
		j.Queue = u.Path[strings.LastIndexByte(u.Path, '/')+1:]
	}
	for _, a := range []string{"time-at-completed", "time-at-creation"} {
		// Some servers count from the epoch, others from their start: only the former says when.
		if t := n(a); t > 1_000_000_000 {
			at := time.Unix(int64(t), 0).UTC()
			j.At = &at
			break
		}
		if d, ok := m.Find(ipp.JobGroup, "date-"+a); ok && len(d.Values) == 1 {
			if at, ok := d.Values[0].Time(); ok {
				j.At = &at
				break
			}
		}
	}
	return j
}

// ReadJob asks for one job (Get-Job-Attributes), and says besides why its printer does not go on, where it does not.
func (c *Client) ReadJob(ctx context.Context, uri string, key *stock.Key, id int) (stock.Job, error) {
	m, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.GetJobAttributes, c.id.Add(1), uri, ipp.Attr("job-id",
		ipp.Int(ipp.Integer, int32(id))), ipp.Strs(ipp.Keyword, "requested-attributes", jobAttributes...)), nil,
		asking{key: key})
	if err != nil {
		return stock.Job{}, err
	}
	j := jobOf(m)
	if !j.Done() {
		p, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.GetPrinterAttributes, c.id.Add(1), uri, ipp.Strs(ipp.Keyword,
			"requested-attributes", "printer-state", "printer-state-reasons")), nil, asking{key: key})
		if err == nil && p.Number(ipp.PrinterGroup, "printer-state") == ipp.PrinterStopped {
			for _, r := range reasonsOf(p.Texts(ipp.PrinterGroup, "printer-state-reasons")) {
				j.Reasons = append(j.Reasons, fmt.Sprintf("the printer is stopped: %s", r))
			}
		}
	}
	return j, nil
}
