// Package sim holds the stand-ins: simulated devices, servers and agents for the demo and for tests.
package sim

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"regexp"
	"strings"
	"sync"
	"time"

	"cirque/internal/ipp"
)

// A Printer stands in for a device, or for a server with queues: it answers IPP on a loopback address, and counts pages.
type Printer struct {
	Name   string
	Model  string
	Serial string
	// Server answers under any path as a queue of that name; else only /ipp/print is there.
	Server bool

	http  *http.Server
	ln    net.Listener
	begun time.Time

	mu    sync.Mutex
	pages int   // guarded by mu
	jobs  []Job // guarded by mu
	state string
}

// A Job is one that a stand-in has taken.
type Job struct {
	ID     int
	Name   string
	Owner  string
	Format string
	Path   string
	Pages  int
	Body   []byte // the first MiB
	Bytes  int64
}

const keptBody = 1 << 20

// Listen starts answering at an address such as 127.0.0.1:0.
func (p *Printer) Listen(addr string) error {
	ln, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	p.ln, p.begun = ln, time.Now()
	p.http = &http.Server{Handler: p, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = p.http.Serve(ln) }() // ends with Close
	return nil
}

// Addr is where it listens.
func (p *Printer) Addr() string { return p.ln.Addr().String() }

// Close stops it at once.
func (p *Printer) Close() error { return p.http.Close() }

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
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]Job(nil), p.jobs...)
}

func (p *Printer) formats() []string {
	return []string{"application/octet-stream", "application/pdf", "image/pwg-raster", "image/jpeg", "text/plain"}
}

func (p *Printer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
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
	if !p.Server && path != "/ipp/print" {
		return req.Respond(ipp.NotFound, "no printer at "+path)
	}
	p.mu.Lock()
	broken := p.state
	p.mu.Unlock()
	format := req.Text(ipp.OperationGroup, "document-format")
	known := format == ""
	for _, f := range p.formats() {
		known = known || f == format
	}
	switch op := ipp.Op(req.Code); {
	case op == ipp.GetPrinterAttributes:
		return p.attributes(path, req, broken)
	case op != ipp.ValidateJob && op != ipp.PrintJob:
		return req.Respond(ipp.OperationNotSupported, "")
	case broken != "":
		return req.Respond(ipp.NotAcceptingJobs, broken)
	case !known:
		return req.Respond(ipp.FormatNotSupported, format)
	case op == ipp.ValidateJob:
		return req.Respond(ipp.OK, "")
	}
	j := Job{Name: req.Text(ipp.OperationGroup, "job-name"), Owner: req.Text(ipp.OperationGroup, "requesting-user-name"), Format: format, Path: path}
	var err error
	if j.Body, err = io.ReadAll(io.LimitReader(body, keptBody)); err == nil {
		j.Bytes, err = io.Copy(io.Discard, body)
		j.Bytes += int64(len(j.Body))
	}
	if err != nil {
		return req.Respond(ipp.BadRequest, "the document broke off")
	}
	j.Pages = countPages(j)
	p.mu.Lock()
	p.pages += j.Pages
	j.ID = len(p.jobs) + 1
	p.jobs = append(p.jobs, j)
	p.mu.Unlock()
	m := req.Respond(ipp.OK, fmt.Sprintf("%s printed %d page(s)", p.Name, j.Pages))
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.JobGroup, Attributes: []ipp.Attribute{
		ipp.Attr("job-uri", ipp.Str(ipp.URI, fmt.Sprintf("ipp://%s%s/%d", p.Addr(), path, j.ID))), ipp.Attr("job-id", ipp.Int(ipp.Integer, int32(j.ID))),
		ipp.Attr("job-state", ipp.Int(ipp.Enum, ipp.JobCompleted)), ipp.Strs(ipp.Keyword, "job-state-reasons", "job-completed-successfully")}})
	return m
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

func (p *Printer) attributes(path string, req ipp.Message, broken string) ipp.Message {
	state, reason := ipp.PrinterIdle, "none"
	if broken != "" {
		state, reason = ipp.PrinterStopped, broken
	}
	name := p.Name
	if p.Server {
		name = path[strings.LastIndexByte(path, '/')+1:]
	}
	all := []ipp.Attribute{
		ipp.Strs(ipp.URI, "printer-uri-supported", "ipp://"+p.Addr()+path), ipp.Strs(ipp.Keyword, "uri-authentication-supported", "none"), ipp.Strs(ipp.Keyword, "uri-security-supported", "none"),
		ipp.Strs(ipp.Name, "printer-name", name), ipp.Strs(ipp.Text, "printer-make-and-model", p.Model), ipp.Strs(ipp.Text, "printer-device-id", "MFG:Skerrymark;MDL:"+p.Model+";SN:"+p.Serial+";"),
		ipp.Attr("printer-state", ipp.Int(ipp.Enum, int32(state))), ipp.Strs(ipp.Keyword, "printer-state-reasons", reason), ipp.Attr("printer-is-accepting-jobs", ipp.Bool(broken == "")),
		ipp.Attr("queued-job-count", ipp.Int(ipp.Integer, 0)), ipp.Attr("printer-up-time", ipp.Int(ipp.Integer, int32(time.Since(p.begun)/time.Second)+1)),
		ipp.Attr("printer-impressions-completed", ipp.Int(ipp.Integer, int32(p.Pages()))),
		ipp.Strs(ipp.Keyword, "ipp-versions-supported", "1.1", "2.0"),
		{Name: "operations-supported", Values: []ipp.Value{ipp.Int(ipp.Enum, int32(ipp.PrintJob)), ipp.Int(ipp.Enum, int32(ipp.ValidateJob)), ipp.Int(ipp.Enum, int32(ipp.GetPrinterAttributes))}},
		ipp.Strs(ipp.Charset, "charset-configured", "utf-8"), ipp.Strs(ipp.Charset, "charset-supported", "utf-8"),
		ipp.Strs(ipp.Language, "natural-language-configured", "en"), ipp.Strs(ipp.Language, "generated-natural-language-supported", "en"),
		ipp.Strs(ipp.MIMEType, "document-format-default", "application/octet-stream"), ipp.Strs(ipp.MIMEType, "document-format-supported", p.formats()...),
		ipp.Strs(ipp.Keyword, "sides-supported", "one-sided", "two-sided-long-edge", "two-sided-short-edge"), ipp.Strs(ipp.Keyword, "media-supported", "iso_a4_210x297mm", "iso_a3_297x420mm"),
		ipp.Strs(ipp.Keyword, "pdl-override-supported", "not-attempted"), ipp.Strs(ipp.Keyword, "compression-supported", "none"),
	}
	m := req.Respond(ipp.OK, "")
	m.Groups = append(m.Groups, ipp.Group{Tag: ipp.PrinterGroup, Attributes: ipp.Requested(req, all)})
	return m
}

// A Set is many stand-ins, with the table that leads to them.
type Set struct {
	Printers []*Printer
	Table    map[string]string // from the documented address to where the stand-in listens
}

// A Spec describes one stand-in in a file.
type Spec struct {
	For    string `yaml:"for"`    // the documented address, host:port
	Listen string `yaml:"listen"` // on loopback
	Name   string `yaml:"name"`
	Model  string `yaml:"model"`
	Serial string `yaml:"serial"`
	Server bool   `yaml:"server"`
}

// Start starts stand-ins. Where an address is taken, another port is; anything but loopback is refused.
func Start(specs []Spec) (*Set, error) {
	s := &Set{Table: map[string]string{}}
	for _, spec := range specs {
		host, _, err := net.SplitHostPort(spec.Listen)
		if ip := net.ParseIP(host); err != nil || ip == nil || !ip.IsLoopback() {
			return nil, errors.Join(fmt.Errorf("the stand-in %s would listen at %q, which is not on loopback", spec.Name, spec.Listen), s.Close())
		}
		p := &Printer{Name: spec.Name, Model: spec.Model, Serial: spec.Serial, Server: spec.Server}
		if err := p.Listen(spec.Listen); err != nil {
			if err = p.Listen(net.JoinHostPort(host, "0")); err != nil {
				return nil, errors.Join(err, s.Close())
			}
		}
		s.Printers = append(s.Printers, p)
		s.Table[spec.For] = p.Addr()
	}
	return s, nil
}

// Close stops all.
func (s *Set) Close() error {
	var errs []error
	for _, p := range s.Printers {
		errs = append(errs, p.Close())
	}
	return errors.Join(errs...)
}

// Wait keeps the stand-ins until ctx is done.
func (s *Set) Wait(ctx context.Context) error {
	<-ctx.Done()
	return s.Close()
}
