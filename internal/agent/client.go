package agent

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"cirque/core/endpoint"
	"cirque/core/fault"
	"cirque/core/lineup"
	"cirque/core/name"
	"cirque/core/words"
	"cirque/internal/agentproto"
)

// maxAnswer bounds what is read of an answer.
const maxAnswer = 64 << 20

// client speaks to the service (package agentproto).
type client struct {
	base     *url.URL
	token    string // empty for an enrolled machine
	http     *http.Client
	tls      *tls.Config
	trust    atomic.Pointer[x509.CertPool] // the authorities by which the service is known; nil for the system's
	identity atomic.Pointer[tls.Certificate]
	key      ed25519.PublicKey           // of the service's answers; nil until it is known
	learned  func(key ed25519.PublicKey) // hears of it the first time, and of each that comes after it
	pace     agentproto.Pace
	issuer   string        // of certificates now, where another issued this machine's
	asked    string        // what the last answer asked for besides
	age      time.Duration // how old what was answered last was; zero where it was so then
}

// errUnsigned is an answer that is not the service's own.
var errUnsigned = fault.New(fault.Denied, "unsigned", "look at what stands between this machine and the service; "+
	"where the service has got another key, enrol the machine again", "the answer is not signed by the service that "+
	"this machine knows")

// clientOf makes the client of an enrolled machine.
func clientOf(id Identity) (*client, error) {
	var ca []byte
	if id.Trust != "" {
		ca = []byte(id.Trust)
	}
	c, err := newClient(id.Service, "", ca)
	if err != nil {
		return nil, err
	}
	c.key = agentproto.ReadKey(id.AnswerKey)
	return c, c.as(id)
}

func newClient(service, token string, caPEM []byte) (*client, error) {
	base, err := url.Parse(service)
	if err != nil || base.Host == "" || base.Scheme != "http" && base.Scheme != "https" {
		return nil, fault.New(fault.Invalid, "service-url", "write https://HOST:PORT",
			"%q is no address of a service", service)
	}
	if base.Scheme == "http" && !name.Loopback(base.Hostname()) {
		return nil, fault.New(fault.Invalid, "service-plain", "write https://HOST:PORT", "%s is not loopback, and what is "+
			"asked and answered there could be read and changed on the way", base.Host)
	}
	if base.User != nil {
		return nil, fault.New(fault.Invalid, "service-url", "leave the sign-in out", "the address of the service carries a "+
			"sign-in")
	}
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.TLSClientConfig = &tls.Config{MinVersion: tls.VersionTLS12}
	c := &client{base: base, token: token, http: &http.Client{Transport: t, CheckRedirect: noRedirect},
		tls: t.TLSClientConfig, pace: agentproto.DefaultPace}
	if caPEM == nil {
		return c, nil
	}
	c.tls.InsecureSkipVerify = true // it is checked here, by authorities that may change
	c.tls.VerifyConnection = func(cs tls.ConnectionState) error { return c.verify(cs, c.trust.Load()) }
	return c, c.trusts(caPEM)
}

// verify holds what the service shows against its name, by some authorities; nil stands for the system's.
func (c *client) verify(cs tls.ConnectionState, roots *x509.CertPool) error {
	opts := x509.VerifyOptions{DNSName: c.base.Hostname(), Roots: roots, Intermediates: x509.NewCertPool()}
	for _, cert := range cs.PeerCertificates[1:] {
		opts.Intermediates.AddCert(cert)
	}
	_, err := cs.PeerCertificates[0].Verify(opts)
	return err
}

// trusts has the client know the service by these authorities from now on.
func (c *client) trusts(caPEM []byte) error {
	pool := x509.NewCertPool()
	if !pool.AppendCertsFromPEM(caPEM) {
		return fault.New(fault.Invalid, "ca-file", "name the file ca.pem of the service", "the file holds no certificate")
	}
	c.trust.Store(pool)
	return nil
}

// noRedirect keeps the agent's token and questions at the service that was meant.
func noRedirect(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }

// refusal is the service's no, in its own words.
type refusal struct {
	says   string
	status int // HTTP
	code   string
}

func (r *refusal) Error() string { return r.says }

func (c *client) post(ctx context.Context, path string, body any, header http.Header,
	limit time.Duration) (*http.Response, []byte, error) {
	b, err := json.Marshal(body)
	if err != nil {
		return nil, nil, err
	}
	return c.send(ctx, http.MethodPost, c.base.JoinPath(path), b, header, limit)
}

// signedPost is post for what the service signs: an answer that it did not sign is an error.
func (c *client) signedPost(ctx context.Context, path string, body any, header http.Header,
	limit time.Duration) (*http.Response, []byte, error) {
	b, err := json.Marshal(body)
	if err != nil {
		return nil, nil, err
	}
	nonce := rand.Text()
	if header == nil {
		header = http.Header{}
	}
	header.Set(agentproto.NonceHeader, nonce)
	resp, answer, err := c.send(ctx, http.MethodPost, c.base.JoinPath(path), b, header, limit)
	if err != nil {
		return resp, answer, err
	}
	c.meet(resp.Header)
	c.issuer = resp.Header.Get(agentproto.IssuerHeader)
	if resp.StatusCode == http.StatusNotModified {
		return resp, answer, nil
	}
	key, first := c.key, c.key == nil
	if first {
		if key = agentproto.ReadKey(resp.Header.Get(agentproto.KeyHeader)); key == nil {
			return resp, nil, errUnsigned
		}
	}
	if !agentproto.Verify(key, resp.Header.Get(agentproto.SignatureHeader), nonce, b,
		agentproto.TagOf(resp.Header.Get("ETag")), answer) {
		return resp, nil, errUnsigned
	}
	if first {
		c.learn(key) // from the first time on
	}
	return resp, answer, nil
}

// meet learns another key of the service, where the one that is known says that it came after it.
func (c *client) meet(h http.Header) {
	next := agentproto.ReadKey(h.Get(agentproto.KeyHeader))
	if c.key != nil && next != nil && !next.Equal(c.key) &&
		agentproto.HandedOver(c.key, next, h.Get(agentproto.HandoverHeader)) {
		c.learn(next)
	}
}

func (c *client) learn(key ed25519.PublicKey) {
	c.key = key
	if c.learned != nil {
		c.learned(key)
	}
}

// get reads a file; what holds it says how large it is.
func (c *client) get(ctx context.Context, path string, query url.Values, limit time.Duration) ([]byte, error) {
	u := c.base.JoinPath(path)
	u.RawQuery = query.Encode()
	_, b, err := c.send(ctx, http.MethodGet, u, nil, nil, limit)
	return b, err
}

func (c *client) send(ctx context.Context, method string, to *url.URL, b []byte, header http.Header,
	limit time.Duration) (*http.Response, []byte, error) {
	ctx, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, method, to.String(), bytes.NewReader(b))
	if err != nil {
		return nil, nil, err
	}
	if header != nil {
		req.Header = header
	}
	if b != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	resp, err := c.http.Do(req)
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = resp.Body.Close() }()
	answer, err := io.ReadAll(io.LimitReader(resp.Body, maxAnswer))
	if err != nil {
		return nil, nil, err
	}
	if resp.StatusCode/100 == 3 && resp.StatusCode != http.StatusNotModified {
		return resp, nil, &refusal{says: "the service leads elsewhere, which is not followed", status: resp.StatusCode}
	}
	if resp.StatusCode >= 400 {
		var p struct{ Detail, Fix, Code string }
		if json.Unmarshal(answer, &p) != nil || p.Detail == "" {
			p.Detail = "the service answers " + resp.Status
		}
		return resp, nil, &refusal{words.OneLine(strings.TrimSuffix(p.Detail+"; "+p.Fix, "; "), 1024), resp.StatusCode,
			p.Code}
	}
	return resp, answer, nil
}

// ask gives the lineups of contexts, waiting for other ones while tag is what holds; same says that none came.
func (c *client) ask(ctx context.Context, contexts []lineup.Query, tag string,
	wait time.Duration) (lineups []lineup.Lineup, newTag string, same bool, err error) {
	h := http.Header{}
	if tag != "" {
		h.Set("If-None-Match", agentproto.Quote(tag))
		h.Set("Prefer", agentproto.Prefer(wait))
	} else {
		wait = 0
	}
	resp, body, err := c.signedPost(ctx, agentproto.LineupsPath, contexts, h, wait+30*time.Second)
	if err != nil {
		return nil, "", false, err
	}
	c.asked = resp.Header.Get(agentproto.AskHeader)
	seconds, _ := strconv.Atoi(resp.Header.Get("Age")) // RFC 9111, section 5.1
	c.age = time.Duration(max(seconds, 0)) * time.Second
	c.pace = agentproto.ParsePace(resp.Header.Get(agentproto.PaceHeader), c.pace)
	if resp.StatusCode == http.StatusNotModified {
		return nil, tag, true, nil
	}
	if err := json.Unmarshal(body, &lineups); err != nil {
		return nil, "", false, fmt.Errorf("the service's answer cannot be read: %w", err)
	}
	return lineups, agentproto.TagOf(resp.Header.Get("ETag")), false, nil
}

// report reports, and gives the order by which the machine is to come to another version of the agent; "" for none.
// What services of the version before do not know goes in headers.
func (c *client) report(ctx context.Context, r endpoint.Report, header http.Header) (order string, err error) {
	resp, _, err := c.post(ctx, agentproto.ReportPath, r, header, 30*time.Second)
	if err != nil {
		return "", err
	}
	return resp.Header.Get(agentproto.UpdateHeader), nil
}
