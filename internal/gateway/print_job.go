package gateway

import (
	"context"

	"cirque/internal/ipp"
)

// printJob takes a job with its document (RFC 8011, section 4.2.1).
func (g *Gateway) printJob(ctx context.Context, r *asked) ipp.Message {
	w := g.asksFor(r)
	if m, no := w.refuses(r); no {
		return m
	}
	body, err := r.document()
	if err != nil {
		return g.refuse(r, err)
	}
	j, err := g.jobs.Print(ctx, r.door, w.Request, body)
	return g.taken(r, w, j, err)
}

// validateJob says whether a job would be taken (RFC 8011, section 4.2.3).
func (g *Gateway) validateJob(ctx context.Context, r *asked) ipp.Message {
	w := g.asksFor(r)
	if m, no := w.refuses(r); no {
		return m
	}
	if _, err := r.document(); err != nil {
		return g.refuse(r, err)
	}
	if err := g.jobs.Validate(ctx, r.door, w.Request); err != nil {
		return g.refuse(r, err)
	}
	return w.respond(r, "")
}
