// Package client is Cirque's API for programs written in Go: what people receive and why, the estate and its drafts,
// and what changes. Everything else that the API's description (docs/reference/openapi.yaml) has is reached with Do and
// All.
//
// A change is sent with a key of its own, so that one whose answer was lost can be sent again and is done once. Errors
// are of type *Problem wherever the service said what is wrong: its Code is stable.
package client

import (
	"context"
	"encoding/json"
	"errors"
	"iter"
	"net/url"
	"time"

	"cirque/core/document"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/internal/api"
	"cirque/internal/apiclient"
)

// What the API speaks of.
type (
	// Context is who, where, on what, how and when.
	Context = lineup.Query
	// Lineup is what a context receives, in order.
	Lineup = lineup.Lineup
	// Why is the reasoning behind one queue in one context.
	Why = lineup.Why
	// Document is an estate: everything that has been decided.
	Document = estate.Document
	// Revision is one published state of it.
	Revision = estate.Revision
	// File is a document as text; its name is told where something is wrong in it.
	File = document.File
	// Draft is what is decided and not yet published.
	Draft = api.Draft
	// Edit changes one object of a draft.
	Edit = estate.Edit
	// Ref names an object of the estate.
	Ref = estate.Ref
	// Problem is an error that the service tells: a stable Code, a sentence, a fix, and places (RFC 9457).
	Problem = fault.Error
)

// Options of a client. The zero value asks without a sign-in and trusts the system's authorities.
type Options struct {
	Token string // such as cirque token create prints
	CA    []byte // PEM of the authority to trust; nil trusts the system's
	// Within is how long the service may take to begin an answer; two minutes when zero.
	Within time.Duration
}

// A Client asks one service. It may be used by several goroutines at once.
type Client struct{ c *apiclient.Client }

// New makes a client of the service at an address, such as https://cirque.example:8631. It asks nothing yet.
func New(address string, o Options) (*Client, error) {
	c, err := apiclient.New(address, o.Token, o.CA)
	if err != nil {
		return nil, err
	}
	if o.Within > 0 {
		c.AnswerWithin(o.Within)
	}
	return &Client{c}, nil
}

// Lineup gives what a context receives now.
func (c *Client) Lineup(ctx context.Context, q Context) (Lineup, error) {
	return apiclient.Post[Lineup](ctx, c.c, "/api/v1/lineups", q)
}

// Why gives the whole reasoning behind one queue in a context, present or absent.
func (c *Client) Why(ctx context.Context, q Context, queue string) (Why, error) {
	return apiclient.Post[Why](ctx, c.c, "/api/v1/why", api.Why{Context: q, Queue: queue})
}

// Estate gives the current estate and its revision.
func (c *Client) Estate(ctx context.Context) (*Document, Revision, error) {
	e, err := apiclient.Get[api.Estate](ctx, c.c, "/api/v1/estate", nil)
	return e.Document, e.Revision, err
}

// Publish makes files the next revision, at once. Where they are what is there already, unchanged is true.
func (c *Client) Publish(ctx context.Context, reason string, files ...File) (r Revision, unchanged bool, err error) {
	p, err := apiclient.Post[api.Published](ctx, c.c, "/api/v1/revisions", api.Publish{Reason: reason, Files: files})
	return p.Revision, p.Unchanged, err
}

// Draft gives one of one's own drafts; the usual one is called main.
func (c *Client) Draft(ctx context.Context, name string) (Draft, error) {
	return apiclient.Get[Draft](ctx, c.c, "/api/v1/draft", url.Values{"name": {name}})
}

// EditDraft changes objects of a draft as it was read, all or none. Where it has been changed meanwhile, a *Problem
// with the code draft-moved.
func (c *Client) EditDraft(ctx context.Context, d Draft, edits ...Edit) (Draft, error) {
	var out Draft
	return out, c.c.Do(ctx, "POST", "/api/v1/draft/edits", url.Values{"name": {d.Name}}, api.Edits{Version: &d.Version,
		Edits: edits}, &out)
}

// PublishDraft makes a draft as it was read the current revision. Where it has been changed meanwhile, a *Problem with
// the code draft-moved; where it clashes with what others have published, draft-conflict.
func (c *Client) PublishDraft(ctx context.Context, d Draft, reason string) (Revision, error) {
	var p api.Published
	err := c.c.Do(ctx, "POST", "/api/v1/draft/publish", url.Values{"name": {d.Name}}, api.PublishDraft{Reason: reason,
		Version: &d.Version}, &p)
	return p.Revision, err
}

// Object makes an edit that puts an object into a list of the estate, or replaces the one of its name.
func Object(list, name string, object any) (Edit, error) {
	b, err := json.Marshal(object)
	return Edit{Ref: Ref{List: list, Name: name}, Object: b}, err
}

// Do asks anything else of the API. in is sent as JSON unless nil, and the answer is read into out unless nil.
func (c *Client) Do(ctx context.Context, method, path string, query url.Values, in, out any) error {
	return c.c.Do(ctx, method, path, query, in, out)
}

// All reads a list to its end, page by page, such as /api/v1/queues; it ends with the first error.
func All[T any](ctx context.Context, c *Client, path string, query url.Values) iter.Seq2[T, error] {
	return apiclient.All[T](ctx, c.c, path, query)
}

// CodeOf gives the code of a problem that the service told; "" for any other error.
func CodeOf(err error) string {
	if p, ok := errors.AsType[*Problem](err); ok {
		return p.Code
	}
	return ""
}
