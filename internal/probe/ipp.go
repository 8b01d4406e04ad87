package probe

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"sync/atomic"

	"cirque/core/job"
	"cirque/internal/fault"
	"cirque/internal/ipp"
)

// IPP is a client of devices and servers (RFC 8010, section 4; RFC 8011).
type IPP struct {
	http *http.Client
	id   atomic.Int32
}

// NewIPP makes a client that goes by a table, which may be nil.
func NewIPP(t AddressTable) *IPP { return &IPP{http: t.client()} }

// target turns an IPP URI into the HTTP one under it (RFC 3510; RFC 7472 for ipps).
func target(uri string) (*url.URL, error) {
	u, err := url.Parse(uri)
	if err != nil || u.Hostname() == "" {
		return nil, fault.New(fault.Invalid, "uri-invalid", "write ipp://HOST/PATH", "%q is no printer's URI", uri)
	}
	switch u.Scheme {
	case "ipp":
		u.Scheme = "http"
	case "ipps":
		u.Scheme = "https"
	case "http", "https":
		return u, nil
	default:
		return nil, fault.New(fault.Invalid, "not-ipp", "send to a path that speaks IPP", "%s does not speak IPP, and Cirque sends over IPP only", u.Redacted())
	}
	if u.Port() == "" {
		u.Host = net.JoinHostPort(u.Hostname(), "631")
	}
	return u, nil
}

// maxAnswer bounds what is read of an answer.
const maxAnswer = ipp.MaxHeader + 1

// ask sends one request, with a document where body is not nil.
func (c *IPP) ask(ctx context.Context, uri string, req ipp.Message, body io.Reader) (ipp.Message, error) {
	u, err := target(uri)
	if err != nil {
		return ipp.Message{}, err
	}
	head, err := req.AppendTo(nil)
	if err != nil {
		return ipp.Message{}, fault.New(fault.Internal, "ipp-encode", "", "the request cannot be encoded").Because(err)
	}
	in := io.Reader(bytes.NewReader(head))
	if body != nil {
		in = io.MultiReader(in, body)
	}
	hr, err := http.NewRequestWithContext(ctx, http.MethodPost, u.String(), in)
	if err != nil {
		return ipp.Message{}, fault.New(fault.Invalid, "uri-invalid", "write ipp://HOST/PATH", "%q is no printer's URI", uri).Because(err)
	}
	if body == nil {
		hr.ContentLength = int64(len(head))
	}
	hr.Header.Set("Content-Type", "application/ipp")
	resp, err := c.http.Do(hr)
	if err != nil {
		return ipp.Message{}, explain(u.Host, err)
	}
	defer func() { _ = resp.Body.Close() }()
	answer, err := io.ReadAll(io.LimitReader(resp.Body, maxAnswer))
	if err != nil {
		return ipp.Message{}, explain(u.Host, err)
	}
	switch {
	case resp.StatusCode == http.StatusUnauthorized:
		return ipp.Message{}, fault.New(fault.Denied, "device-sign-in", "let this service print there without one", "%s wants a sign-in", u.Host)
	case resp.StatusCode != http.StatusOK:
		return ipp.Message{}, fault.New(fault.Unavailable, "device-answer", "check the path in the URI", "%s answers %s", u.Redacted(), resp.Status)
	}
	m, _, err := ipp.Parse(answer)
	if err != nil || m.ID != req.ID {
		return ipp.Message{}, fault.New(fault.Unavailable, "not-ipp", "check the path in the URI", "%s does not speak IPP", u.Host).Because(err)
	}
	if s := ipp.Status(m.Code); !s.Successful() {
		return m, refusal(u.Host, s, m.Text(ipp.OperationGroup, "status-message"))
	}
	return m, nil
}

// refusal turns a status into a fault. What another device might do is Unavailable.
func refusal(host string, s ipp.Status, says string) error {
	kind := fault.Unavailable
	if s >= 0x0400 && s < 0x0500 {
		kind = fault.Invalid
	}
	if says != "" {
		says = ": " + says
	}
	return fault.New(kind, "device-refused", "look at the device", "%s answers %s%s", host, s, says)
}

// Print asks whether the device would take the job (Validate-Job), and then sends it (Print-Job).
func (c *IPP) Print(ctx context.Context, uri string, d job.Document, body io.Reader) (job.Outcome, error) {
	request := func(op ipp.Op) ipp.Message {
		return ipp.NewRequest(op, c.id.Add(1), uri, ipp.Attr("requesting-user-name", ipp.Str(ipp.Name, d.Owner)),
			ipp.Attr("job-name", ipp.Str(ipp.Name, d.Name)), ipp.Attr("document-format", ipp.Str(ipp.MIMEType, d.Format)))
	}
	if _, err := c.ask(ctx, uri, request(ipp.ValidateJob), nil); err != nil {
		return job.Outcome{}, err
	}
	m, err := c.ask(ctx, uri, request(ipp.PrintJob), body)
	if err != nil {
		return job.Outcome{}, err
	}
	out := job.Outcome{JobID: m.Number(ipp.JobGroup, "job-id"), State: ipp.JobState(m.Number(ipp.JobGroup, "job-state")), Says: ipp.Status(m.Code).String()}
	if says := m.Text(ipp.OperationGroup, "status-message"); says != "" {
		out.Says = fmt.Sprintf("%s (%s)", says, out.Says)
	}
	return out, nil
}
