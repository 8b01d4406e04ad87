package gateway

import (
	"context"
	"fmt"
	"slices"
	"time"

	"cirque/core/job"
	"cirque/internal/ipp"
)

func (r *asked) jobURI(j *job.Job) string { return fmt.Sprintf("%s/jobs/%d", r.printerURI(), j.ID) }

// brief is what is answered of a job that was just taken (RFC 8011, section 4.2.1.2).
func (r *asked) brief(j *job.Job) ipp.Group {
	list := []ipp.Attribute{ipp.Strs(ipp.URI, "job-uri", r.jobURI(j)),
		ipp.Ints(ipp.Integer, "job-id", int(j.ID)),
		ipp.Ints(ipp.Enum, "job-state", ipp.JobStateOf(string(j.State))),
		ipp.Strs(ipp.Keyword, "job-state-reasons", j.Reasons...)}
	if j.Says != "" {
		list = append(list, ipp.Strs(ipp.Text, "job-state-message", cut(j.Says, 1023)))
	}
	return ipp.Group{Tag: ipp.JobGroup, Attributes: list}
}

// getJobAttributes tells of one job (RFC 8011, section 4.3.4).
func (g *Gateway) getJobAttributes(ctx context.Context, r *asked) ipp.Message {
	if r.job == 0 {
		return r.Respond(ipp.BadRequest, "the request names no job")
	}
	j, past, err := g.jobs.Show(ctx, r.by, r.job)
	if err != nil {
		return g.refuse(r, err)
	}
	m := r.Respond(ipp.OK, "")
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: jobRequested(r.Message, r.jobAttributes(&j, past),
		false)})
	return m
}

// getJobs lists jobs (RFC 8011, section 4.2.6).
func (g *Gateway) getJobs(ctx context.Context, r *asked) ipp.Message {
	f := job.Filter{Queues: []string{r.door.Queue.Name}, Limit: 1000, Oldest: true, Open: true}
	which := r.Text(ipp.OperationGroup, "which-jobs")
	switch which {
	case "", "not-completed":
	case "completed":
		f.Open, f.Ended, f.Oldest = false, true, false
	case "all":
		f.Open = false
	case "aborted", "canceled", "pending", "pending-held", "processing", "processing-stopped":
		f.Open, f.States = false, []job.State{job.State(which)}
	default:
		a, _ := r.Find(ipp.OperationGroup, "which-jobs")
		m := r.Respond(ipp.AttributesNotSupported, which+" says nothing of jobs here")
		m.Groups = append(m.Groups, ipp.Group{Tag: ipp.UnsupportedGroup, Attributes: []ipp.Attribute{a}})
		return m
	}
	if a, ok := r.Find(ipp.OperationGroup, "limit"); ok {
		if a.Values[0].Int < 1 {
			return r.Respond(ipp.BadRequest, "limit is to be at least 1")
		}
		f.Limit = min(f.Limit, int(a.Values[0].Int))
	}
	if r.Number(ipp.OperationGroup, "my-jobs") == 1 {
		f.Owners = []string{r.door.Owner}
	}
	list, err := g.jobs.List(ctx, r.by, f)
	if err != nil {
		return g.refuse(r, err)
	}
	m := r.Respond(ipp.OK, "")
	for i := range list {
		m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: jobRequested(r.Message,
			r.jobAttributes(&list[i], nil), true)})
	}
	return m
}

// jobRequested keeps what a request asks for; of a list, that is the least where it asks for nothing (RFC 8011, section
// 4.2.6.1).
func jobRequested(m ipp.Message, all []ipp.Attribute, list bool) []ipp.Attribute {
	want := m.Texts(ipp.OperationGroup, "requested-attributes")
	switch {
	case len(want) == 0 && list:
		want = []string{"job-uri", "job-id"}
	case len(want) == 0 || slices.Contains(want, "all"):
		return all
	}
	return slices.DeleteFunc(slices.Clone(all), func(a ipp.Attribute) bool {
		group := "job-description"
		if isTemplate(a.Name) {
			group = "job-template"
		}
		return !slices.Contains(want, a.Name) && !slices.Contains(want, group)
	})
}

// jobAttributes are a job's description and template attributes (RFC 8011, sections 5.2 and 5.3).
func (r *asked) jobAttributes(j *job.Job, past []job.Past) []ipp.Attribute {
	moment := func(name string, t *time.Time) []ipp.Attribute {
		if t == nil {
			none := ipp.Value{Tag: ipp.NoValue}
			return []ipp.Attribute{ipp.Attr("time-at-"+name, none), ipp.Attr("date-time-at-"+name, none)}
		}
		return []ipp.Attribute{ipp.Ints(ipp.Integer, "time-at-"+name, int(t.Unix())), ipp.Attr("date-time-at-"+name,
			ipp.At(*t))}
	}
	out := append(r.brief(j).Attributes, ipp.Strs(ipp.URI, "job-printer-uri", r.printerURI()),
		ipp.Strs(ipp.Name, "job-originating-user-name", j.Owner),
		ipp.Ints(ipp.Integer, "job-printer-up-time", int(time.Now().Unix())),
		ipp.Ints(ipp.Integer, "job-k-octets", int((j.Bytes+1023)/1024)))
	if j.Format != "" {
		out = append(out, ipp.Ints(ipp.Integer, "number-of-documents", 1), ipp.Strs(ipp.MIMEType, "document-format",
			j.Format))
	}
	if j.Name != "" {
		out = append(out, ipp.Strs(ipp.Name, "job-name", j.Name))
	}
	if j.Pages != nil {
		out = append(out, ipp.Ints(ipp.Integer, "job-impressions", *j.Pages))
	}
	done := 0
	if j.Impressions != nil {
		done = *j.Impressions
	}
	out = append(out, ipp.Ints(ipp.Integer, "job-impressions-completed", done))
	if j.Device != "" {
		out = append(out, ipp.Strs(ipp.Name, "output-device-assigned", j.Device))
	}
	if j.Charge != "" {
		out = append(out, ipp.Strs(ipp.Name, "job-account-id", j.Charge))
	}
	hold := "no-hold"
	if slices.Contains(j.Reasons, job.HoldUntil) {
		hold = "indefinite"
	}
	out = append(out, ipp.Strs(ipp.Keyword, "job-hold-until", hold))
	began := j.Began
	if began == nil && len(past) > 0 && j.State != job.Pending && j.State != job.PendingHeld {
		began = &j.Changed
	}
	out = append(append(append(out, moment("creation", &j.At)...), moment("processing", began)...), moment("completed",
		j.Ended)...)
	raw, _ := ipp.ParseGroup(j.Raw) // it was encoded here
	return append(out, raw...)
}

// cut shortens a text to so many octets.
func cut(s string, most int) string {
	if len(s) <= most {
		return s
	}
	for most > 0 && s[most]&0xc0 == 0x80 {
		most--
	}
	return s[:most]
}
