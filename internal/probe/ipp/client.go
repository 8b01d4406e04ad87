// Package ipp asks servers, devices and spoolers over IPP (RFC 8010, RFC 8011), and sends them documents.
package ipp

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync/atomic"
	"time"

	"cirque/internal/probe/dial"

	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/ipp"
)

// A Client asks of devices and servers (RFC 8010, section 4; RFC 8011).
type Client struct {
	http  *http.Client
	out   *dial.Dialer
	id    atomic.Int32
	limit time.Duration // of one conversation; the usual when zero
	peer  string        // the account that asks, where the other side of a local socket sees that for itself
}

// New makes a client whose connections a dialer makes; a nil one goes anywhere.
func New(d *dial.Dialer) *Client { return &Client{http: d.Client(dial.IPP), out: d} }

// A conversation is over after so long, however much of it has come: with a question askedWithin, with a document
// sentWithin.
const (
	askedWithin = time.Minute
	sentWithin  = time.Hour
)

// within bounds one conversation.
func (c *Client) within(ctx context.Context, document bool) (context.Context, context.CancelFunc) {
	limit := cmp.Or(c.limit, askedWithin)
	if document {
		limit = cmp.Or(c.limit, sentWithin)
	}
	return context.WithTimeout(ctx, limit)
}

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
		return nil, fault.New(fault.Invalid, "not-ipp", "send to a path that speaks IPP", "%s does not speak IPP, and "+
			"Cirque sends over IPP only", u.Redacted())
	}
	if u.Port() == "" {
		u.Host = net.JoinHostPort(u.Hostname(), "631")
	}
	return u, nil
}

// An asking is one exchange with all that may differ from one to the next.
type asking struct {
	key        *stock.Key // a sign-in, used where one is asked for
	header     int        // limits on the answer; those of ipp where zero
	attributes int
	signed     bool    // with the sign-in at once
	document   *[]byte // takes the document that follows the answer, if there is one
}

// requestAs begins a request in somebody's name; of nobody where who is empty.
func (c *Client) requestAs(who string, op ipp.Op, uri string, more ...ipp.Attribute) ipp.Message {
	if who != "" {
		more = append(more, ipp.Attr("requesting-user-name", ipp.Str(ipp.Name, who)))
	}
	return ipp.NewRequest(op, c.id.Add(1), uri, more...)
}

// exchange sends one request, with a document where body is not nil.
//
//nolint:funlen // one exchange from its request to its answer
func (c *Client) exchange(ctx context.Context, uri string, req ipp.Message, body io.Reader,
	how asking) (ipp.Message, error) {
	u, err := target(uri)
	if err != nil {
		return ipp.Message{}, err
	}
	ctx, cancel := c.within(ctx, body != nil)
	defer cancel()
	how.header, how.attributes = cmp.Or(how.header, ipp.MaxHeader), cmp.Or(how.attributes, ipp.MaxAttributes)
	head, err := req.AppendTo(nil)
	if err != nil {
		return ipp.Message{}, fault.New(fault.Internal, "ipp-encode", "", "the request cannot be encoded").Because(err)
	}
	send := func(signed bool) (int, []byte, error) {
		in := io.Reader(bytes.NewReader(head))
		if body != nil {
			in = io.MultiReader(in, body)
		}
		hr, err := http.NewRequestWithContext(ctx, http.MethodPost, u.String(), in)
		if err != nil {
			return 0, nil, fault.New(fault.Invalid, "uri-invalid", "write ipp://HOST/PATH", "%q is no printer's URI",
				uri).Because(err)
		}
		if body == nil {
			hr.ContentLength = int64(len(head))
		}
		hr.Header.Set("Content-Type", "application/ipp")
		if c.peer != "" {
			hr.Header.Set("Authorization", "PeerCred "+c.peer)
		}
		if signed {
			hr.SetBasicAuth(how.key.User, how.key.Secret)
		}
		resp, err := c.http.Do(hr)
		if err != nil {
			return 0, nil, dial.Explain(u.Host, err)
		}
		defer func() { _ = resp.Body.Close() }()
		answer, err := io.ReadAll(io.LimitReader(resp.Body, int64(how.header)+1))
		if err != nil {
			return 0, nil, dial.Explain(u.Host, err)
		}
		return resp.StatusCode, answer, nil
	}
	// Basic is no secret to whoever listens (RFC 7617, section 4).
	clear := u.Scheme != "https" && how.key != nil && !how.key.Clear
	signed := how.signed && !clear
	code, answer, err := send(signed)
	if err == nil && code == http.StatusUnauthorized && clear {
		return ipp.Message{}, fault.New(fault.Denied, "sign-in-clear", "write ipps://, or allow it for this key: cirque "+
			"credential add "+how.key.Name+" --allow-clear", "%s wants a sign-in, and the key %s is not sent in the clear",
			u.Host, how.key.Name)
	}
	if err == nil && code == http.StatusUnauthorized && how.key != nil && body == nil && !signed {
		signed = true
		if code, answer, err = send(true); err == nil && (code == http.StatusUnauthorized ||
			code == http.StatusForbidden) {
			how.key.Outcome = "refused"
			return ipp.Message{}, fault.New(fault.Denied, "sign-in-refused", "enter the sign-in anew",
				"%s refuses the sign-in %s", u.Host, how.key.Name)
		}
	}
	switch {
	case err != nil:
		return ipp.Message{}, err
	case how.key != nil && body == nil && code == http.StatusOK && signed:
		how.key.Outcome = "works"
	case code == http.StatusUnauthorized:
		return ipp.Message{}, fault.New(fault.Denied, "sign-in", "store a sign-in for it, or let this service in without one",
			"%s wants a sign-in", u.Host)
	case code == http.StatusForbidden:
		return ipp.Message{}, fault.New(fault.Denied, "forbidden", "let this machine in on the server",
			"%s does not let this service in", u.Host)
	case code == http.StatusUpgradeRequired:
		return ipp.Message{}, fault.New(fault.Unavailable, "wants-tls", "write ipps:// instead of ipp://",
			"%s wants TLS", u.Host)
	case code == http.StatusNotFound:
		return ipp.Message{}, fault.New(fault.Unavailable, "path-not-found", "check the path in the URI",
			"%s has nothing at %s", u.Host, u.EscapedPath())
	case code != http.StatusOK:
		return ipp.Message{}, fault.New(fault.Unavailable, "not-ipp", "check the port and the path in the URI",
			"%s answers as no IPP service does", u.Host)
	}
	m, rest, err := ipp.ParseWithin(answer, how.header, how.attributes)
	if err != nil || m.ID != req.ID {
		return ipp.Message{}, fault.New(fault.Unavailable, "not-ipp", "check the path in the URI", "%s does not speak IPP",
			u.Host).Because(err)
	}
	if s := ipp.Status(m.Code); !s.Successful() {
		return m, refusal(u.Host, s, m.Text(ipp.OperationGroup, "status-message"))
	}
	if how.document != nil {
		*how.document = rest
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
func (c *Client) Print(ctx context.Context, uri string, d job.Document, body io.Reader) (job.Outcome, error) {
	return c.Send(ctx, uri, nil, d, body)
}

// Send is Print with a sign-in, which may be nil.
func (c *Client) Send(ctx context.Context, uri string, key *stock.Key, d job.Document,
	body io.Reader) (job.Outcome, error) {
	request := func(op ipp.Op) ipp.Message {
		return ipp.NewRequest(op, c.id.Add(1), uri,
			ipp.Attr("requesting-user-name", ipp.Str(ipp.Name, words.OneLine(d.Owner, 255))),
			ipp.Attr("job-name", ipp.Str(ipp.Name, words.OneLine(d.Name, 255))), ipp.Attr("document-format",
				ipp.Str(ipp.MIMEType, d.Format)))
	}
	if _, err := c.exchange(ctx, uri, request(ipp.ValidateJob), nil, asking{key: key}); err != nil {
		return job.Outcome{}, err
	}
	// The document goes once: whether a sign-in is wanted is known by now.
	how := asking{key: key, signed: key != nil && key.Outcome == "works"}
	m, err := c.exchange(ctx, uri, request(ipp.PrintJob), body, how)
	if err != nil {
		return job.Outcome{}, err
	}
	out := job.Outcome{JobID: m.Number(ipp.JobGroup, "job-id"), State: ipp.JobState(m.Number(ipp.JobGroup, "job-state")),
		Says: ipp.Status(m.Code).String()}
	if says := m.Text(ipp.OperationGroup, "status-message"); says != "" {
		out.Says = fmt.Sprintf("%s (%s)", says, out.Says)
	}
	return out, nil
}

// Alive asks the shortest question there is. Whoever answers in IPP, or wants a sign-in, is alive, whatever the answer
// is.
func (c *Client) Alive(ctx context.Context, uri string) error {
	if strings.HasPrefix(uri, "socket://") || strings.HasPrefix(uri, "lpd://") {
		return c.open(ctx, uri)
	}
	_, err := c.exchange(ctx, uri, ipp.NewRequest(ipp.GetPrinterAttributes, c.id.Add(1), uri, ipp.Strs(ipp.Keyword,
		"requested-attributes", "printer-state")), nil, asking{})
	if err != nil {
		if f := fault.As(err); f.Code == "device-refused" || f.Kind == fault.Denied || f.Code == "path-not-found" ||
			f.Code == "wants-tls" {
			return nil
		}
	}
	return err
}

// open only connects, for what does not speak IPP.
func (c *Client) open(ctx context.Context, uri string) error {
	u, err := url.Parse(uri)
	if err != nil || u.Hostname() == "" {
		return fault.New(fault.Invalid, "uri-invalid", "write socket://HOST:PORT", "%q is no printer's URI", uri)
	}
	port := cmp.Or(u.Port(), map[string]string{"socket": "9100", "lpd": "515"}[u.Scheme])
	conn, err := c.out.Dial(ctx, dial.Raw, "tcp", net.JoinHostPort(u.Hostname(), port), dial.Within)
	if err != nil {
		return dial.Explain(u.Host, err)
	}
	return conn.Close()
}
