// Package gateway is Cirque's own IPP endpoint: the printers that queues with a path through it are to clients (RFC
// 8010, RFC 8011, PWG 5100.14). It has one file for each operation, or for a few that are alike.
package gateway

import (
	"context"
	"crypto/x509"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/words"
	"cirque/internal/ipp"
	"cirque/internal/service/printing"
)

// Prefix stands before a queue's name in the path.
const Prefix = "/ipp/queues/"

// Identity finds who somebody is.
type Identity interface {
	ByBasic(ctx context.Context, remote, called, password string) (*access.Principal, error)
	// ByToken gives nil for a token that lets nobody in.
	ByToken(token string) *access.Principal
}

// Certificates finds whose agent shows a certificate.
type Certificates interface {
	ByCertificate(serial, machine string) (*access.Principal, error)
}

// Jobs takes jobs and looks after them.
type Jobs interface {
	Enter(ctx context.Context, p *access.Principal, queue string) (*printing.Door, error)
	Offer(d *printing.Door) printing.Offer
	Waiting(ctx context.Context, d *printing.Door) int
	Validate(ctx context.Context, d *printing.Door, in printing.Request) error
	Print(ctx context.Context, d *printing.Door, in printing.Request, body io.Reader) (*job.Job, error)
	Announce(ctx context.Context, d *printing.Door, in printing.Request) (*job.Job, error)
	Feed(ctx context.Context, p *access.Principal, id int64, format string, body io.Reader) (*job.Job, error)
	CloseJob(ctx context.Context, p *access.Principal, id int64) (*job.Job, error)
	Show(ctx context.Context, p *access.Principal, id int64) (job.Job, []job.Past, error)
	List(ctx context.Context, p *access.Principal, f job.Filter) ([]job.Job, error)
	Cancel(ctx context.Context, p *access.Principal, id int64) (job.Job, error)
	HoldJob(ctx context.Context, p *access.Principal, id int64) (job.Job, error)
	Release(ctx context.Context, p *access.Principal, id int64, device string) (job.Job, error)
	Identify(ctx context.Context, d *printing.Door, says string) error
}

// Config of a Gateway.
type Config struct {
	Identity     Identity
	Certificates Certificates // nil: nobody shows any
	Jobs         Jobs
	Log          *slog.Logger // nil keeps nothing
	// PublicURL is where the service is reached; the identities of its printers follow from it.
	PublicURL string
	// Organization is who runs it, where that is known.
	Organization string
}

// A Gateway answers IPP requests.
type Gateway struct {
	cfg   Config
	jobs  Jobs
	log   *slog.Logger
	start time.Time
}

// New makes a gateway.
func New(cfg Config) *Gateway {
	if cfg.Log == nil {
		cfg.Log = slog.New(slog.DiscardHandler)
	}
	return &Gateway{cfg, cfg.Jobs, cfg.Log, time.Now()}
}

// An asked request is one with what is known of who asks, and of what.
type asked struct {
	ipp.Message
	by     *access.Principal
	queue  string // as it was called
	job    int64  // 0 for none
	host   string
	secure bool
	system string // what kind of system asks, as it says
	body   io.Reader
	door   *printing.Door
	unsure bool // whether what was asked was done is not known
}

func (g *Gateway) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	queue, id, ok := target(r.URL.Path)
	if !ok {
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
	m, err := ipp.ReadMessage(body)
	if err != nil {
		g.answer(w, ipp.Message{}.Respond(ipp.BadRequest, err.Error()))
		return
	}
	a := &asked{Message: m, by: p, queue: queue, job: id, host: r.Host, secure: r.TLS != nil, system: r.UserAgent(),
		body: body}
	answer := g.handle(r.Context(), a)
	if a.unsure {
		hangUp(w)
		return
	}
	g.answer(w, answer)
}

// hangUp ends a connection without an answer: neither that a job was taken nor that it was not would be true.
func hangUp(w http.ResponseWriter) {
	if conn, _, err := http.NewResponseController(w).Hijack(); err == nil {
		_ = conn.Close()
		return
	}
	panic(http.ErrAbortHandler)
}

// target reads a path: that of a queue, or of a job in one.
func target(path string) (queue string, id int64, ok bool) {
	rest, ok := strings.CutPrefix(path, Prefix)
	if !ok {
		return "", 0, false
	}
	queue, number, of := strings.Cut(rest, "/jobs/")
	if of {
		n, err := strconv.ParseInt(number, 10, 32)
		if err != nil || n < 1 {
			return "", 0, false
		}
		id = n
	}
	return queue, id, queue != "" && !strings.Contains(queue, "/")
}

// who takes an agent's certificate, HTTP Basic (RFC 7617) or a bearer token.
func (g *Gateway) who(r *http.Request) (*access.Principal, error) {
	host, _ := r.Context().Value(event.OriginKey{}).(string)
	if user, password, ok := r.BasicAuth(); ok {
		return g.cfg.Identity.ByBasic(r.Context(), host, user, password)
	}
	if scheme, token, ok := strings.Cut(r.Header.Get("Authorization"), " "); ok && strings.EqualFold(scheme, "Bearer") {
		if p := g.cfg.Identity.ByToken(token); p != nil {
			return p, nil
		}
	}
	if leaf := shown(r); leaf != nil && g.cfg.Certificates != nil {
		return g.cfg.Certificates.ByCertificate(leaf.SerialNumber.Text(16), leaf.Subject.CommonName)
	}
	return nil, errors.New("nobody is signed in")
}

// shown is the certificate that somebody shows and the authority has certified.
func shown(r *http.Request) *x509.Certificate {
	if r.TLS == nil || len(r.TLS.VerifiedChains) == 0 {
		return nil
	}
	return r.TLS.PeerCertificates[0]
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

// An operation is one that is spoken, with what answers it.
type operation struct {
	op     ipp.Op
	answer func(*Gateway, context.Context, *asked) ipp.Message
}

// operations are all of them, in the order of their numbers.
func operations() []operation {
	return []operation{{ipp.PrintJob, (*Gateway).printJob}, {ipp.ValidateJob, (*Gateway).validateJob},
		{ipp.CreateJob, (*Gateway).createJob}, {ipp.SendDocument, (*Gateway).sendDocument},
		{ipp.CancelJob, (*Gateway).cancelJob}, {ipp.GetJobAttributes, (*Gateway).getJobAttributes},
		{ipp.GetJobs, (*Gateway).getJobs}, {ipp.GetPrinterAttributes, (*Gateway).getPrinterAttributes},
		{ipp.HoldJob, (*Gateway).holdJob}, {ipp.ReleaseJob, (*Gateway).releaseJob},
		{ipp.CancelMyJobs, (*Gateway).cancelMyJobs}, {ipp.CloseJob, (*Gateway).closeJob},
		{ipp.IdentifyPrinter, (*Gateway).identifyPrinter}}
}

// handle answers one request whose document, if it has one, is still in its body.
func (g *Gateway) handle(ctx context.Context, r *asked) ipp.Message {
	if err := r.Letter(); err != nil {
		var e *ipp.LetterError
		errors.As(err, &e)
		return r.Respond(e.Status, e.Says)
	}
	if err := r.named(); err != nil {
		return g.refuse(r, err)
	}
	if r.by.Role == access.Agent && r.by.Person() == "" { // it speaks for whom the job names, if it may
		as := *r.by
		as.For = words.OneLine(r.Text(ipp.OperationGroup, "requesting-user-name"), 255)
		r.by = &as
	}
	for _, o := range operations() {
		if o.op != ipp.Op(r.Code) {
			continue
		}
		door, err := g.jobs.Enter(ctx, r.by, r.queue)
		if err != nil {
			return g.refuse(r, err)
		}
		r.door = door
		return o.answer(g, ctx, r)
	}
	return r.Respond(ipp.OperationNotSupported, "")
}

// named finds the job that is meant: by the path, by job-uri, or by job-id.
func (r *asked) named() error {
	if uri := r.Text(ipp.OperationGroup, "job-uri"); uri != "" {
		at := strings.Index(uri, Prefix)
		if at < 0 {
			return job.NotThere(uri)
		}
		_, id, ok := target(uri[at:])
		if !ok || id == 0 {
			return job.NotThere(uri)
		}
		r.job = id
	}
	if a, ok := r.Find(ipp.OperationGroup, "job-id"); ok {
		r.job = int64(a.Values[0].Int)
	}
	return nil
}

// statuses are those that answer faults, by their codes (RFC 8011, appendix B; PWG 5100.16).
var statuses = map[string]ipp.Status{"queue-closed": ipp.NotAcceptingJobs, "device-refused": ipp.DeviceError,
	"format-unsupported": ipp.FormatNotSupported, "option-unsupported": ipp.AttributesNotSupported,
	"document-too-large": ipp.EntityTooLarge, "several-documents": ipp.SeveralDocuments, "spool": ipp.TemporaryError,
	"job-state": ipp.NotPossible, "job-ended": ipp.NotPossible, "document-arriving": ipp.NotPossible,
	"compression-error": ipp.CompressionError, "compression-unsupported": ipp.CompressionNotKnown,
	job.LimitReached: ipp.AccountLimitReached, job.AccountNeeded: ipp.AccountInfoNeeded,
	job.AccountRefused: ipp.AccountRefused, "device-stopped": ipp.DeviceError, "device-needed": ipp.BadRequest,
	"database-unavailable": ipp.TemporaryError, "document-broke-off": ipp.BadRequest}

func (g *Gateway) refuse(r *asked, err error) ipp.Message {
	f := fault.As(err)
	r.unsure = f.Code == fault.MaybeDone
	status, ok := statuses[f.Code]
	if !ok {
		status = map[fault.Kind]ipp.Status{fault.Unknown: ipp.NotFound, fault.Denied: ipp.NotAuthorized,
			fault.Unsigned: ipp.NotAuthenticated, fault.Invalid: ipp.BadRequest, fault.Conflict: ipp.NotPossible,
			fault.TooLarge: ipp.EntityTooLarge, fault.TooMany: ipp.Busy, fault.Unavailable: ipp.ServiceUnavailable}[f.Kind]
	}
	if status == 0 {
		status = ipp.InternalError
		g.log.Error("a request failed", "operation", r.Code, "error", err)
	}
	return r.Respond(status, f.What)
}

func (r *asked) printerURI() string {
	scheme := "ipp://"
	if r.secure {
		scheme = "ipps://"
	}
	return scheme + r.host + Prefix + r.door.Queue.Name
}
