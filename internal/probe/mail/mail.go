// Package mail sends notices by mail (RFC 5321) and by post to a URL.
package mail

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/smtp"
	"net/textproto"
	"net/url"
	"strings"
	"time"

	"cirque/internal/httpsig"
	"cirque/internal/probe/dial"

	"cirque/core/fault"
	"cirque/core/notice"
	"cirque/core/stock"
)

// A Sender sends notices: mail through a relay (RFC 5321), or a POST.
type Sender struct{ out *dial.Dialer }

// NewSender makes one whose connections a dialer makes; a nil one goes anywhere.
func NewSender(d *dial.Dialer) *Sender { return &Sender{d} }

const tellWithin = 20 * time.Second

// Mail hands one message to a relay, and says what the relay answered. A sign-in is sent over TLS or loopback only.
func (t *Sender) Mail(ctx context.Context, m notice.Mail, key *stock.Key) (says string, err error) {
	u, err := url.Parse(m.Relay)
	if err != nil {
		return "", fault.New(fault.Invalid, "mail-server-invalid", "write smtp://HOST:PORT", "%q is no mail server", m.Relay)
	}
	port := u.Port()
	if port == "" {
		port = map[string]string{"smtp": "25", "smtps": "465"}[u.Scheme]
	}
	host := u.Hostname()
	ctx, cancel := context.WithTimeout(ctx, tellWithin)
	defer cancel()
	conn, err := t.out.Dial(ctx, dial.Mail, "tcp", net.JoinHostPort(host, port), dial.Within)
	if err != nil {
		return "", explainRelay(host, err)
	}
	conn = &boundedConn{conn, relaySays}
	stop := context.AfterFunc(ctx, func() { _ = conn.Close() })
	defer stop()
	if end, ok := ctx.Deadline(); ok {
		_ = conn.SetDeadline(end) // the dialled connection has deadlines
	}
	secure := &tls.Config{ServerName: host, MinVersion: tls.VersionTLS12}
	if u.Scheme == "smtps" {
		conn = tls.Client(conn, secure)
	}
	c, err := smtp.NewClient(conn, host)
	if err != nil {
		_ = conn.Close()
		return "", explainRelay(host, err)
	}
	defer func() { _ = c.Close() }()
	if u.Scheme == "smtp" {
		if ok, _ := c.Extension("STARTTLS"); ok {
			if err := c.StartTLS(secure); err != nil {
				return "", explainRelay(host, err)
			}
		}
	}
	if key != nil {
		if _, private := c.TLSConnectionState(); !private && !key.Clear {
			return "", fault.New(fault.Unavailable, "relay-plain", "write smtps://, have the relay offer TLS, or allow it for "+
				"this key: cirque credential add "+key.Name+" --allow-clear",
				"%s offers no TLS, and the key %s is not sent in the clear", host, key.Name)
		}
		if err := c.Auth(plainAuth{key.User, key.Secret}); err != nil {
			key.Outcome = "refused"
			return "", fault.New(fault.Unavailable, "relay-refuses", "enter the key anew: cirque credential add",
				"%s refuses the key %s", host, key.Name).Because(err)
		}
		key.Outcome = "works"
	}
	for _, step := range []func() error{func() error { return c.Mail(m.From) }, func() error { return c.Rcpt(m.To) }} {
		if err := step(); err != nil {
			return "", explainRelay(host, err)
		}
	}
	w, err := c.Data()
	if err == nil {
		_, err = w.Write(letter(m))
	}
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		return "", explainRelay(host, err)
	}
	_ = c.Quit() // it has taken the message
	return host + " took it", nil
}

// relaySays is how much a relay may say in one conversation.
const relaySays = 1 << 20

// boundedConn ends where the other side has said too much.
type boundedConn struct {
	net.Conn
	left int
}

func (c *boundedConn) Read(b []byte) (int, error) {
	if c.left <= 0 {
		return 0, errors.New("there is no end to what it says")
	}
	n, err := c.Conn.Read(b[:min(len(b), c.left)])
	c.left -= n
	return n, err
}

// plainAuth is AUTH PLAIN (RFC 4616); the caller has seen to it that nobody listens.
type plainAuth struct{ user, word string }

func (a plainAuth) Start(*smtp.ServerInfo) (string, []byte, error) {
	return "PLAIN", []byte("\x00" + a.user + "\x00" + a.word), nil
}

func (plainAuth) Next(_ []byte, more bool) ([]byte, error) {
	if more {
		return nil, errors.New("the relay asks for more than a name and a password")
	}
	return nil, nil
}

// letter writes a message (RFC 5322), in plain text as quoted-printable (RFC 2045).
func letter(m notice.Mail) []byte {
	var b bytes.Buffer
	head := func(k, v string) { fmt.Fprintf(&b, "%s: %s\r\n", k, v) }
	head("From", m.From)
	head("To", m.To)
	head("Subject", mime.QEncoding.Encode("utf-8", strings.Join(strings.Fields(m.Subject), " ")))
	head("Date", m.At.Format(time.RFC1123Z))
	head("MIME-Version", "1.0")
	head("Content-Type", "text/plain; charset=utf-8")
	head("Content-Transfer-Encoding", "quoted-printable")
	head("Auto-Submitted", "auto-generated") // RFC 3834: no holiday answers
	b.WriteString("\r\n")
	w := quotedprintable.NewWriter(&b)
	_, _ = io.WriteString(w, strings.ReplaceAll(m.Body, "\n", "\r\n")) // a buffer takes all
	_ = w.Close()
	return b.Bytes()
}

func explainRelay(host string, err error) error {
	var no *textproto.Error
	if errors.As(err, &no) {
		return fault.New(fault.Unavailable, "relay-refuses", "see what the relay allows: sender, receiver, sign-in",
			"%s answers: %d %s", host, no.Code, no.Msg)
	}
	f := fault.As(dial.Explain(host, err))
	if f.Code == "not-ipp" || f.Code == "broke-off" {
		return fault.New(fault.Unavailable, "not-smtp", "check the address and the port", "%s does not speak SMTP there",
			host).Because(err)
	}
	return fault.New(f.Kind, f.Code, strings.ReplaceAll(strings.ReplaceAll(f.Fix, "IPP", "the mail relay"), "device",
		"relay"), "%s", f.What).Because(err)
}

// class says what a status means (RFC 9110, section 15) and no more: who answers may be somebody whom nobody meant.
func class(status int) string {
	switch status / 100 {
	case 3:
		return "leads elsewhere, and redirects are not followed"
	case 4:
		return "refuses it"
	case 5:
		return "fails at it"
	}
	return "answers as no HTTP service does"
}

// Post sends JSON to an address, and says what was answered. It is signed (RFC 9421) unless signed is nil, so that
// whoever takes it in knows from whom it comes, whoever stands between.
func (t *Sender) Post(ctx context.Context, to string, body []byte, key *stock.Key,
	signed ed25519.PrivateKey) (says string, err error) {
	ctx, cancel := context.WithTimeout(ctx, tellWithin)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, to, bytes.NewReader(body))
	if err != nil {
		return "", fault.New(fault.Invalid, "post-invalid", "write post:https://HOST/PATH", "%q is no address", to)
	}
	req.Header.Set("Content-Type", "application/json")
	if signed != nil {
		f := httpsig.Sign(httpsig.Request{Method: req.Method, Target: req.URL.String(), ContentType: "application/json",
			Body: body}, time.Now().Unix(), signed)
		req.Header.Set("Content-Digest", f.ContentDigest)
		req.Header.Set("Signature-Input", f.SignatureInput)
		req.Header.Set("Signature", f.Signature)
	}
	host := req.URL.Host
	if key != nil {
		if req.URL.Scheme != "https" && !key.Clear {
			return "", fault.New(fault.Unavailable, "post-plain", "write post:https://, or allow it for this key: cirque "+
				"credential add "+key.Name+" --allow-clear", "the key %s is not sent to %s "+
				"in the clear", key.Name, host)
		}
		req.SetBasicAuth(key.User, key.Secret)
	}
	client := t.out.Client(dial.Post)
	defer client.CloseIdleConnections()
	resp, err := client.Do(req)
	if err != nil {
		f := fault.As(dial.Explain(host, err))
		return "", fault.New(f.Kind, f.Code, strings.ReplaceAll(f.Fix, "IPP", "the service there"), "%s", f.What).Because(err)
	}
	defer func() { _ = resp.Body.Close() }()
	if resp.StatusCode/100 != 2 {
		return "", fault.New(fault.Unavailable, "post-refused", "see what the far end wants", "%s %s", host,
			class(resp.StatusCode))
	}
	return host + " took it", nil
}
