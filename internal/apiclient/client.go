// Package apiclient is the typed client of the HTTP API, for the command line and for tests.
package apiclient

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"maps"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"cirque/core/fault"
	"cirque/core/page"
	"cirque/internal/api"
)

// A Client speaks to one service.
type Client struct {
	base  *url.URL
	token string
	http  *http.Client
	// Aged is told of answers that were so a while ago (RFC 9111, section 5.1); nobody where nil.
	Aged func(age time.Duration)
	// Once begins the Idempotency-Keys of what is sent, which end with a number: made up by New.
	Once    string
	changes atomic.Int64
}

// New makes a client. caPEM trusts the service's own authority; nil trusts the system's.
func New(base, token string, caPEM []byte) (*Client, error) {
	u, err := url.Parse(base)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, fault.New(fault.Invalid, "service-url", "write https://HOST:PORT", "%q is no address of a service", base)
	}
	if strings.ContainsFunc(token, func(r rune) bool { return r <= ' ' || r > '~' }) {
		return nil, fault.New(fault.Denied, "token-malformed", "give the token alone, as cirque token create printed it",
			"what was given is no token")
	}
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.DialContext = (&net.Dialer{Timeout: connectWithin, KeepAlive: 15 * time.Second}).DialContext
	t.TLSHandshakeTimeout, t.ResponseHeaderTimeout = connectWithin, answerWithin
	t.TLSClientConfig = &tls.Config{MinVersion: tls.VersionTLS12}
	if caPEM != nil {
		t.TLSClientConfig.RootCAs = x509.NewCertPool()
		if !t.TLSClientConfig.RootCAs.AppendCertsFromPEM(caPEM) {
			return nil, fault.New(fault.Invalid, "ca-file", "name the file ca/ca.pem of the service's data directory",
				"the file holds no certificate")
		}
	}
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	return &Client{base: u, token: token, http: &http.Client{Transport: t, Jar: jar}, Once: rand.Text()}, nil
}

// How long a connection may take, and a service to begin an answer, unless AnswerWithin says otherwise.
const (
	connectWithin = 10 * time.Second
	answerWithin  = 2 * time.Minute
)

// AnswerWithin sets how long the service may take to begin an answer. It is called before anything is sent.
func (c *Client) AnswerWithin(d time.Duration) {
	c.http.Transport.(*http.Transport).ResponseHeaderTimeout = d
}

// URL is the service's address.
func (c *Client) URL() string { return c.base.String() }

const maxAnswer = 256 << 20

// Do sends one request and decodes the answer into out, which may be nil. A problem comes back as the fault that it
// was.
func (c *Client) Do(ctx context.Context, method, path string, query url.Values, in, out any) error {
	resp, err := c.Raw(ctx, method, path, query, nil, in)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	if out == nil {
		return nil
	}
	if err := json.NewDecoder(io.LimitReader(resp.Body, maxAnswer)).Decode(out); err != nil {
		return fault.New(fault.Unavailable, "answer-unreadable", "check the address", "%s does not answer as Cirque does",
			c.base.Host).Because(err)
	}
	return nil
}

// Raw sends one request with headers of the caller's; the caller closes the body.
func (c *Client) Raw(ctx context.Context, method, path string, query url.Values, header http.Header,
	in any) (*http.Response, error) {
	if in == nil {
		return c.send(ctx, method, path, query, header, "", nil)
	}
	b, err := json.Marshal(in)
	if err != nil {
		return nil, err
	}
	return c.send(ctx, method, path, query, header, "application/json", bytes.NewReader(b))
}

// Upload sends a body that is no JSON; the caller closes the answer's body.
func (c *Client) Upload(ctx context.Context, path string, query url.Values, contentType string,
	body io.Reader) (*http.Response, error) {
	return c.send(ctx, http.MethodPost, path, query, nil, contentType, body)
}

// again is how often a change is sent again whose answer was lost, and pauses are between.
const again = 4

// send sends a request. A change bears a key of its own (Idempotency-Key), so that it can be sent again where its
// answer was lost, and is done once.
func (c *Client) send(ctx context.Context, method, path string, query url.Values, header http.Header,
	contentType string, body io.Reader) (*http.Response, error) {
	whole, _ := body.(*bytes.Reader) // what can be sent again
	repeats := method != http.MethodGet && (body == nil || whole != nil)
	if header = header.Clone(); header == nil {
		header = http.Header{}
	}
	if repeats && header.Get(api.OnceHeader) == "" {
		header.Set(api.OnceHeader, c.Once+"-"+strconv.FormatInt(c.changes.Add(1), 10))
	}
	pause := 250 * time.Millisecond
	for n := 0; ; n++ {
		resp, err := c.try(ctx, method, path, query, header, contentType, body)
		f := fault.As(err)
		if f == nil || !repeats || f.Code != fault.MaybeDone {
			return resp, err
		}
		if n == again || timedOut(err) { // who has waited once is not kept waiting
			told := *f
			told.Fix = "look whether it is there, or repeat the command with --idempotency-key " + c.Once + ": it is done once"
			return nil, &told
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(pause):
		}
		pause *= 2
		if whole != nil {
			if _, err := whole.Seek(0, io.SeekStart); err != nil {
				return nil, err
			}
		}
	}
}

func (c *Client) try(ctx context.Context, method, path string, query url.Values, header http.Header,
	contentType string, body io.Reader) (*http.Response, error) {
	u := c.base.JoinPath(path)
	u.RawQuery = query.Encode()
	req, err := http.NewRequestWithContext(ctx, method, u.String(), body)
	if err != nil {
		return nil, err
	}
	req.Header = header.Clone()
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	resp, err := c.http.Do(req)
	if err != nil {
		if f := fault.As(c.unreachable(err)); method != http.MethodGet && f.Code == "service-unreachable" && sent(err) ||
			method != http.MethodGet && f.Code == "service-silent" {
			how := "broke off before it had answered"
			if timedOut(err) {
				how = "did not answer in time"
			}
			return nil, fault.New(fault.Unavailable, fault.MaybeDone, "look whether it is there before you do it again",
				"the service at %s %s: it may have been done", c.base.Host, how).Because(err)
		}
		return nil, c.unreachable(err)
	}
	if age, err := strconv.Atoi(resp.Header.Get("Age")); err == nil && age > 0 && c.Aged != nil {
		c.Aged(time.Duration(age) * time.Second)
	}
	if resp.StatusCode >= 400 {
		defer func() { _ = resp.Body.Close() }()
		var p api.Problem
		if err := json.NewDecoder(io.LimitReader(resp.Body, 16<<20)).Decode(&p); err != nil || p.Code == "" {
			return nil, fault.New(fault.Unavailable, "answer-unreadable", "check the address",
				"%s answers %s, not as Cirque does", c.base.Host, resp.Status)
		}
		return nil, p.Fault()
	}
	return resp, nil
}

// timedOut says whether a request was given up because the service took too long.
func timedOut(err error) bool {
	var ue *url.Error
	return errors.As(err, &ue) && ue.Timeout()
}

// sent says whether a request that failed may have reached the service.
func sent(err error) bool {
	return errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, syscall.ECONNRESET) ||
		errors.Is(err, syscall.EPIPE)
}

func (c *Client) unreachable(err error) error {
	if errors.Is(err, context.Canceled) {
		return err
	}
	var unknown x509.UnknownAuthorityError
	if errors.As(err, &unknown) {
		return fault.New(fault.Unavailable, "service-certificate", "name its authority with --ca FILE (ca/ca.pem in the "+
			"service's data directory)", "the certificate of %s is not trusted", c.base.Host).Because(err)
	}
	if strings.Contains(err.Error(), "server gave HTTP response to HTTPS client") {
		return fault.New(fault.Unavailable, "service-plain", "write http:// instead", "%s speaks plain HTTP", c.base.Host)
	}
	var ue *url.Error
	if errors.As(err, &ue) {
		if ue.Timeout() {
			return fault.New(fault.Unavailable, "service-silent", "see that it is the right address, and that the service is "+
				"not held up; --timeout gives it longer", "the service at %s takes the connection, and does not answer in time",
				c.base.Host).Because(err)
		}
		err = ue.Err
	}
	return fault.New(fault.Unavailable, "service-unreachable", "check the address (--url, CIRQUE_URL) and that the "+
		"service runs", "the service at %s does not answer", c.base.Host).Because(err)
}

// Get reads one thing.
func Get[T any](ctx context.Context, c *Client, path string, query url.Values) (T, error) {
	var out T
	return out, c.Do(ctx, http.MethodGet, path, query, nil, &out)
}

// Page reads a page of a list.
func Page[T any](ctx context.Context, c *Client, path string, query url.Values) (page.Page[T], error) {
	return Get[page.Page[T]](ctx, c, path, query)
}

// List reads all of a list. It gives what there was when each page was read.
func List[T any](ctx context.Context, c *Client, path string, query url.Values) ([]T, error) {
	out := []T{}
	for v, err := range All[T](ctx, c, path, query) {
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, nil
}

// All reads a list to its end, page by page as it is asked for; it ends with the first error.
func All[T any](ctx context.Context, c *Client, path string, query url.Values) iter.Seq2[T, error] {
	return func(yield func(T, error) bool) {
		ask := url.Values{"limit": {strconv.Itoa(page.Most)}}
		maps.Copy(ask, query)
		for {
			p, err := Page[T](ctx, c, path, ask)
			if err != nil {
				var none T
				yield(none, err)
				return
			}
			for _, v := range p.Items {
				if !yield(v, nil) {
					return
				}
			}
			if p.Next == "" {
				return
			}
			ask.Set("after", p.Next)
		}
	}
}

// Post sends one thing and reads the answer.
func Post[T any](ctx context.Context, c *Client, path string, in any) (T, error) {
	var out T
	return out, c.Do(ctx, http.MethodPost, path, nil, in, &out)
}

// Path joins fixed parts and one name that may hold anything.
func Path(prefix, name string) string { return fmt.Sprintf("%s/%s", prefix, url.PathEscape(name)) }
