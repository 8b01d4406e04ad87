// Package sim holds the stand-ins: simulated devices, servers and agents for the demo and for tests.
package sim

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"cirque/internal/ipp"
)

// A Printer stands in for a device, or for a print server with queues: it answers IPP on a loopback address, and SNMP
// where it is given a community; it counts pages and remembers jobs.
type Printer struct {
	Spec
	// Follow gives a server's queues as they are now; nil where they are those of its spec.
	Follow func() []Queue
	// Printing is called while a job is printed, which takes as long; nil takes no time.
	Printing func()
	// Coming is called when the first byte of a document is there; nil does nothing.
	Coming func()

	http   *http.Server
	ln     net.Listener
	udp    net.PacketConn
	closed bool // by Close
	over   chan struct{}
	ending sync.Once
	held   func() error // lets go of the port that hold keeps
	begun  time.Time

	mu      sync.Mutex
	pages   int   // guarded by mu, as are the rest
	jobs    []Job // newest last
	state   string
	queues  []Queue
	acted   map[int]acted // by the number of a job that waits
	changed int           // when a queue's settings changed last, in seconds since it begun
}

// A Job is one that a stand-in has taken.
type Job struct {
	ID     int
	Name   string
	Owner  string
	Format string
	Path   string
	Pages  int
	State  int
	At     time.Time
	From   string
	Body   []byte // the first MiB
	Bytes  int64
	Asked  map[string]any // the options that came with it, by their IPP names
	Raw    []ipp.Attribute
	Gone   bool // it has been forgotten

	coming bool // its document is
	taken  bool // all of it is here, and it has come out unless it jams or takes its time
}

const keptBody = 1 << 20

// Listen starts answering at an address such as 127.0.0.1:0.
func (p *Printer) Listen(addr string) error {
	ln, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	p.ln, p.begun, p.queues = ln, time.Now(), slices.Clone(p.Queues)
	p.over = make(chan struct{})
	if p.SNMP != "" {
		if err := p.listenSNMP(); err != nil {
			return errors.Join(err, ln.Close())
		}
	}
	p.http = &http.Server{Handler: p, ReadHeaderTimeout: 10 * time.Second, ErrorLog: slog.NewLogLogger(slog.DiscardHandler,
		slog.LevelError)}
	go func() { _ = p.http.Serve(ln) }() // ends with Close
	for i := range p.Remembers {
		p.jobs = append(p.jobs, p.remembered(i))
	}
	return nil
}

// Addr is where it listens.
func (p *Printer) Addr() string { return p.ln.Addr().String() }

// Close stops it at once.
func (p *Printer) Close() error {
	p.closed = true
	p.ending.Do(func() {
		if p.over != nil {
			close(p.over)
		}
	})
	if p.udp != nil {
		_ = p.udp.Close() // whoever asks hears nothing more
	}
	return ended(p.http.Close(), p.ln)
}

// ended is how something ended that listens, once its server has: where that had not begun to serve yet, it leaves the
// listener open.
func ended(err error, ln net.Listener) error {
	if e := ln.Close(); e != nil && !errors.Is(e, net.ErrClosed) {
		err = errors.Join(err, e)
	}
	return err
}

// Break makes it refuse jobs with a reason, such as media-jam; "" mends it.
func (p *Printer) Break(reason string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.state = reason
}

// Pages is its page counter.
func (p *Printer) Pages() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.pages
}

// Jobs gives the jobs that it has taken.
func (p *Printer) Jobs() []Job {
	return slices.DeleteFunc(p.all(), func(j Job) bool { return !j.taken })
}

// all lists also the jobs that are announced, or whose document broke off.
func (p *Printer) all() []Job {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Clone(p.jobs)
}

func (p *Printer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch p.Habit {
	case "garbage":
		w.Header().Set("Content-Type", "application/ipp")
		_, _ = w.Write([]byte("\x02\x00\x00\x00\xff\xff\xff\xff\x01G\xff\xff\xff\xffIt was a dark and stormy night."))
		return
	case "slow":
		select {
		case <-time.After(p.slowness()):
		case <-r.Context().Done():
			return
		}
	}
	if user, password, _ := r.BasicAuth(); p.SignIn != "" && user+":"+password != p.SignIn {
		w.Header().Set("WWW-Authenticate", `Basic realm="`+p.Name+`"`)
		http.Error(w, "sign in", http.StatusUnauthorized)
		return
	}
	if r.Method != http.MethodPost || r.Header.Get("Content-Type") != "application/ipp" {
		http.Error(w, "this is a printer: POST application/ipp", http.StatusBadRequest)
		return
	}
	body := ipp.Buffered(r.Body)
	req, err := ipp.ReadMessage(body)
	answer := ipp.Message{}.Respond(ipp.BadRequest, "")
	if err == nil {
		answer = p.handle(r.URL.Path, req, body)
	}
	b, err := answer.AppendTo(nil)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/ipp")
	_, _ = w.Write(b) // the client has gone
}

func (p *Printer) handle(path string, req ipp.Message, body io.Reader) ipp.Message {
	op := ipp.Op(req.Code)
	if p.Follow != nil {
		now := p.Follow()
		p.Change(func([]Queue) []Queue { return now })
	}
	if p.Server && (op == ipp.GetPrinters && path == "/ipp/system" && p.Listing != "spooler" || op == ipp.ListQueues &&
		p.Listing == "spooler") {
		return p.list(req)
	}
	q, known := p.queueAt(path)
	if !known {
		return req.Respond(ipp.NotFound, "no printer at "+path)
	}
	p.mu.Lock()
	broken := cmp.Or(p.state, q.Stopped)
	p.mu.Unlock()
	format := req.Text(ipp.OperationGroup, "document-format")
	switch {
	case op == ipp.GetPrinterAttributes:
		m := req.Respond(ipp.OK, "")
		m.Groups = append(m.Groups, ipp.Group{Tag: ipp.PrinterGroup, Attributes: ipp.Requested(req, p.attributes(path, q))})
		return m
	case op == ipp.GetJobs:
		return p.listJobs(path, req)
	case op == ipp.GetJobAttributes:
		return p.oneJob(path, req)
	case op == ipp.CancelJob && p.cancel(path, req.Number(ipp.OperationGroup, "job-id")):
		return req.Respond(ipp.OK, "")
	case op == ipp.HoldJob || op == ipp.ReleaseJob || op == ipp.CancelJob || op == ipp.MoveJobs:
		return p.act(path, op, req)
	case op == ipp.IdentifyPrinter:
		return req.Respond(ipp.OK, "")
	case op == ipp.SendDocument && !p.Old:
		return p.send(path, req, body)
	case op != ipp.ValidateJob && op != ipp.PrintJob && (op != ipp.CreateJob || p.Old):
		return req.Respond(ipp.OperationNotSupported, "")
	case broken != "" && p.Habit != "jams":
		return req.Respond(ipp.NotAcceptingJobs, broken)
	case format != "" && !slices.Contains(p.formats(q), format):
		return req.Respond(ipp.FormatNotSupported, format)
	case op == ipp.ValidateJob:
		return req.Respond(ipp.OK, "")
	case op == ipp.CreateJob:
		return create(p, path, req)
	}
	return p.print(path, req, body)
}

var pdfPage = regexp.MustCompile(`/Type\s*/Page[^s]`)

// countPages counts a PDF's page objects and a text's form feeds; anything else is a page.
func countPages(j Job) int {
	switch j.Format {
	case "application/pdf":
		return max(1, len(pdfPage.FindAll(j.Body, -1)))
	case "text/plain":
		return 1 + strings.Count(strings.TrimRight(string(j.Body), "\f\n"), "\f")
	}
	return 1
}

// A Set is many stand-ins, with the table that leads to them.
type Set struct {
	mu       sync.Mutex // held while some are cut, joined or exchanged
	Printers []*Printer
	Table    map[string]string // from the documented address to where the stand-in listens
}

// Start starts stand-ins. Where an address is taken, another port is; anything but loopback is refused.
func Start(specs []Spec) (*Set, error) {
	s := &Set{Table: map[string]string{}}
	for _, spec := range specs {
		host, _, err := net.SplitHostPort(spec.Listen)
		if ip := net.ParseIP(host); err != nil || ip == nil || !ip.IsLoopback() {
			return nil, errors.Join(fmt.Errorf("the stand-in %s would listen at %q, which is not on loopback", spec.Name,
				spec.Listen), s.Close())
		}
		p := &Printer{Spec: spec}
		if err := p.Listen(spec.Listen); err != nil {
			if err = p.Listen(net.JoinHostPort(host, "0")); err != nil {
				return nil, errors.Join(err, s.Close())
			}
		}
		s.Printers = append(s.Printers, p)
		s.Table[spec.For] = p.Addr()
		if p.udp != nil {
			documented, _, err := net.SplitHostPort(spec.For)
			if err != nil {
				return nil, errors.Join(err, s.Close())
			}
			s.Table[net.JoinHostPort(documented, "161")] = p.udp.LocalAddr().String()
		}
	}
	return s, nil
}

// Close stops all.
func (s *Set) Close() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	var errs []error
	for _, p := range s.Printers {
		errs = append(errs, p.release(), p.Close())
	}
	return errors.Join(errs...)
}

// Wait keeps the stand-ins until ctx is done.
func (s *Set) Wait(ctx context.Context) error {
	<-ctx.Done()
	return s.Close()
}
