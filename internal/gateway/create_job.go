package gateway

import (
	"bufio"
	"context"
	"io"

	"cirque/core/job"
	"cirque/internal/ipp"
)

// createJob takes a job whose document is to come (RFC 8011, section 4.2.4).
func (g *Gateway) createJob(ctx context.Context, r *asked) ipp.Message {
	w := g.asksFor(r)
	if m, no := w.refuses(r); no {
		return m
	}
	j, err := g.jobs.Announce(ctx, r.door, w.Request)
	return g.taken(r, w, j, err)
}

// taken answers a request about a job, with what of it is not done as wanted.
func (g *Gateway) taken(r *asked, w wanted, j *job.Job, err error) ipp.Message {
	if err != nil {
		return g.refuse(r, err)
	}
	m := w.respond(r, j.Says)
	m.Groups = append(m.Groups, r.brief(j))
	return m
}

// sendDocument takes the document of a job that was announced (RFC 8011, section 4.3.1). One without data ends the job,
// as Close-Job does.
func (g *Gateway) sendDocument(ctx context.Context, r *asked) ipp.Message {
	last, ok := r.Find(ipp.OperationGroup, "last-document")
	switch {
	case r.job == 0:
		return r.Respond(ipp.BadRequest, "the request names no job")
	case !ok:
		return r.Respond(ipp.BadRequest, "last-document is missing")
	}
	body, err := r.document()
	if err != nil {
		return g.refuse(r, err)
	}
	in := bufio.NewReader(body)
	if _, err := in.Peek(1); err == io.EOF && last.Values[0].Int == 1 {
		return g.closeJob(ctx, r)
	}
	j, err := g.jobs.Feed(ctx, r.by, r.job, r.Text(ipp.OperationGroup, "document-format"), in)
	return g.taken(r, wanted{}, j, err)
}

// closeJob says that no more documents come (PWG 5100.7, section 5.1).
func (g *Gateway) closeJob(ctx context.Context, r *asked) ipp.Message {
	if r.job == 0 {
		return r.Respond(ipp.BadRequest, "the request names no job")
	}
	j, err := g.jobs.CloseJob(ctx, r.by, r.job)
	return g.taken(r, wanted{}, j, err)
}
