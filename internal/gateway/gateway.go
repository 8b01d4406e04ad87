// Package gateway is Cirque's own IPP endpoint: it takes jobs for queues that have a path through it, and streams each
// to the first usable device without keeping it (RFC 8010, RFC 8011).
package gateway

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/words"
	"cirque/internal/ipp"
	"cirque/internal/service/jobs"
)

// Prefix stands before a queue's name in the path.
const Prefix = "/ipp/queues/"

// Identity finds who somebody is.
type Identity interface {
	ByBasic(ctx context.Context, remote, called, password string) (*access.Principal, error)
	// ByToken gives nil for a token that lets nobody in.
	ByToken(token string) *access.Principal
}

// Jobs takes jobs to devices.
type Jobs interface {
	GatewayRoute(ctx context.Context, p *access.Principal, called string) (jobs.Route, error)
	Deliver(ctx context.Context, r jobs.Route, d job.Document, body io.Reader) (job.Outcome, error)
}

// A Gateway answers IPP requests.
type Gateway struct {
	identity Identity
	jobs     Jobs
	log      *slog.Logger
	start    time.Time
}

// New makes a gateway; a nil log keeps nothing.
func New(identity Identity, jobs Jobs, log *slog.Logger) *Gateway {
	if log == nil {
		log = slog.New(slog.DiscardHandler)
	}
	return &Gateway{identity, jobs, log, time.Now()}
}

func (g *Gateway) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name, ok := strings.CutPrefix(r.URL.Path, Prefix)
	if !ok || name == "" || strings.Contains(name, "/") {
		http.Error(w, "queues are at "+Prefix+"NAME", http.StatusNotFound)
		return
	}
	if ct, _, _ := strings.Cut(r.Header.Get("Content-Type"), ";"); strings.TrimSpace(ct) != "application/ipp" {
		http.Error(w, "this is for application/ipp", http.StatusUnsupportedMediaType)
		return
	}
	p, err := g.who(r)
	if err != nil {
		if fault.Is(err, fault.TooMany) {
			http.Error(w, fault.As(err).Error(), http.StatusTooManyRequests)
			return
		}
		w.Header().Set("WWW-Authenticate", `Basic realm="Cirque", charset="UTF-8"`)
		http.Error(w, "sign in", http.StatusUnauthorized)
		return
	}
	if b, ok := r.Body.(interface{ Admit() }); ok {
		b.Admit() // it is known now who sends the job
	}
	body := ipp.Buffered(r.Body)
	req, err := ipp.ReadMessage(body)
	if err != nil {
		g.answer(w, ipp.Message{}.Respond(ipp.BadRequest, err.Error()))
		return
	}
	g.answer(w, g.handle(r.Context(), p, name, r.Host, r.TLS != nil, req, body))
}

// who takes HTTP Basic (RFC 7617) or a bearer token.
func (g *Gateway) who(r *http.Request) (*access.Principal, error) {
	host, _ := r.Context().Value(event.OriginKey{}).(string)
	if user, password, ok := r.BasicAuth(); ok {
		return g.identity.ByBasic(r.Context(), host, user, password)
	}
	if scheme, token, ok := strings.Cut(r.Header.Get("Authorization"), " "); ok && strings.EqualFold(scheme, "Bearer") {
		if p := g.identity.ByToken(token); p != nil {
			return p, nil
		}
	}
	return nil, errors.New("nobody is signed in")
}

func (g *Gateway) answer(w http.ResponseWriter, m ipp.Message) {
	b, err := m.AppendTo(nil)
	if err != nil {
		g.log.Error("an answer cannot be encoded", "error", err)
		http.Error(w, "internal error", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/ipp")
	_, _ = w.Write(b) // the client has gone
}

// handle answers one request whose document, if it has one, is still in body.
func (g *Gateway) handle(ctx context.Context, p *access.Principal, name, host string, secure bool, req ipp.Message,
	body io.Reader) ipp.Message {
	switch {
	case req.Version.Major < 1 || req.Version.Major > 2:
		return req.Respond(ipp.VersionNotSupported, "versions 1.0 to 2.2 are spoken here")
	case req.ID < 1 || req.Text(ipp.OperationGroup, "attributes-charset") == "":
		return req.Respond(ipp.BadRequest, "request-id or attributes-charset is missing")
	}
	if p.Role == access.Agent && p.Person() == "" { // it speaks for whom the job names, if it may
		as := *p
		as.For = words.OneLine(req.Text(ipp.OperationGroup, "requesting-user-name"), 255)
		p = &as
	}
	route, err := g.jobs.GatewayRoute(ctx, p, name)
	if err != nil {
		return g.refuse(req, err)
	}
	format := req.Text(ipp.OperationGroup, "document-format")
	if format == "" {
		format = formats()[0]
	}
	switch op := ipp.Op(req.Code); {
	case op == ipp.GetPrinterAttributes:
		return g.attributes(req, route, host, secure)
	case op != ipp.ValidateJob && op != ipp.PrintJob:
		return req.Respond(ipp.OperationNotSupported, "")
	case !slices.Contains(formats(), format):
		return req.Respond(ipp.FormatNotSupported, format+" is not passed on")
	case op == ipp.ValidateJob:
		if route.Refuses != "" {
			return req.Respond(ipp.NotAcceptingJobs, route.Refuses)
		}
		return req.Respond(ipp.OK, "")
	}
	// What a client makes up reaches a device's panel and the history (RFC 8011, section 5.1.3: a name has 255 octets).
	d := job.Document{Name: words.OneLine(req.Text(ipp.OperationGroup, "job-name"), 255),
		Owner: words.OneLine(owner(p, req), 255), Format: format}
	out, err := g.jobs.Deliver(ctx, route, d, body)
	if err != nil {
		return g.refuse(req, err)
	}
	m := req.Respond(ipp.OK, out.Says)
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: []ipp.Attribute{
		ipp.Attr("job-uri", ipp.Str(ipp.URI, fmt.Sprintf("%s/jobs/%d", uriOf(host, name, secure), out.JobID))),
		ipp.Attr("job-id", ipp.Int(ipp.Integer, int32(max(out.JobID, 1)))), ipp.Attr("job-state", ipp.Int(ipp.Enum,
			int32(ipp.JobStateOf(out.State)))),
		ipp.Strs(ipp.Keyword, "job-state-reasons", "none")}})
	return m
}

// owner is the person: an agent's, else the one who signed in. What the job itself claims counts for nothing here.
func owner(p *access.Principal, req ipp.Message) string {
	if who := p.Person(); who != "" {
		return who
	}
	return req.Text(ipp.OperationGroup, "requesting-user-name")
}

func (g *Gateway) refuse(req ipp.Message, err error) ipp.Message {
	f := fault.As(err)
	status := map[fault.Kind]ipp.Status{fault.Unknown: ipp.NotFound, fault.Denied: ipp.NotAuthorized,
		fault.Unsigned: ipp.NotAuthenticated, fault.Invalid: ipp.BadRequest,
		fault.Unavailable: ipp.ServiceUnavailable}[f.Kind]
	switch {
	case f.Code == "queue-closed":
		status = ipp.NotAcceptingJobs
	case f.Code == "device-refused":
		status = ipp.DeviceError
	case status == 0:
		status = ipp.InternalError
		g.log.Error("a job failed", "error", err)
	}
	return req.Respond(status, f.What)
}
