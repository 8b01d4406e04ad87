// Package syslog sends messages of the syslog protocol over TLS (RFC 5425), or over TCP (RFC 6587).
package syslog

import (
	"cmp"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"net"
	"net/url"
	"sync/atomic"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/probe/dial"
	"cirque/internal/syslog"
)

// A Sender opens ways to those who take a log.
type Sender struct {
	out     *dial.Dialer
	host    string // that messages say they are from
	version string
}

// NewSender makes one whose messages say which service they are from.
func NewSender(d *dial.Dialer, public, version string) *Sender {
	host := ""
	if u, err := url.Parse(public); err == nil {
		host = u.Hostname()
	}
	return &Sender{d, host, version}
}

// A Way is a connection to somebody who takes a log. One goroutine uses it at a time.
type Way struct {
	conn    net.Conn
	tcp     *net.TCPConn // below TLS
	of      *Sender
	name    string
	over    atomic.Bool // the other side has ended it
	pending []byte
}

// sendWithin is how long the other side may take to accept what is sent at once.
const sendWithin = 10 * time.Second

// Open connects; clear lets it go without TLS. Failures are faults in plain words.
func (s *Sender) Open(ctx context.Context, target, ca string, clear bool) (*Way, error) {
	u, err := url.Parse(target)
	if err != nil || u.Hostname() == "" || u.Scheme != "tls" && (u.Scheme != "tcp" || !clear) {
		return nil, fault.New(fault.Invalid, "uri-invalid", "write tls://HOST:PORT", "%q is nothing that takes a log", target)
	}
	port := cmp.Or(u.Port(), map[string]string{"tls": "6514", "tcp": "601"}[u.Scheme])
	ctx, cancel := context.WithTimeout(ctx, dial.Within)
	defer cancel()
	conn, err := s.out.Dial(ctx, dial.Syslog, "tcp", net.JoinHostPort(u.Hostname(), port), dial.Within)
	if err != nil {
		return nil, explain(u.Host, err)
	}
	w := &Way{conn: conn, of: s, name: u.Host}
	w.tcp, _ = conn.(*net.TCPConn)
	if u.Scheme == "tls" {
		conf := &tls.Config{ServerName: u.Hostname(), MinVersion: tls.VersionTLS12}
		if ca != "" {
			conf.RootCAs = x509.NewCertPool()
			if !conf.RootCAs.AppendCertsFromPEM([]byte(ca)) {
				_ = conn.Close()
				return nil, fault.New(fault.Invalid, "ca-invalid", "give the authority's certificate as PEM",
					"the authority of %s "+
						"is no certificate", u.Host)
			}
		}
		secure := tls.Client(conn, conf)
		if err := secure.HandshakeContext(ctx); err != nil {
			_ = conn.Close()
			return nil, explain(u.Host, err)
		}
		w.conn = secure
	}
	go w.listen()
	return w, nil
}

// listen waits for the end: nothing is answered (RFC 5425, section 4.3).
func (w *Way) listen() {
	b := make([]byte, 512)
	for {
		if _, err := w.conn.Read(b); err != nil {
			w.over.Store(true)
			return
		}
	}
}

// Send hands over an entry of the audit; text is what it says.
func (w *Way) Send(e event.Event, text string) error {
	if w.over.Load() {
		return explain(w.name, errOver)
	}
	w.pending = syslog.Append(w.pending[:0], syslog.Message{Severity: severity(e.Kind), At: e.At, Host: w.of.host,
		App: "cirque", ID: e.Kind, Software: "Cirque", Version: w.of.version, Text: text})
	if err := w.conn.SetWriteDeadline(time.Now().Add(sendWithin)); err != nil {
		return explain(w.name, err)
	}
	if _, err := w.conn.Write(w.pending); err != nil {
		return explain(w.name, err)
	}
	return nil
}

var errOver = errors.New("the other side has ended the connection")

// Taken says whether everything that was sent has arrived at the other machine, as far as this one can tell; an error
// says that the way is over.
func (w *Way) Taken() (bool, error) {
	if w.over.Load() {
		return false, explain(w.name, errOver)
	}
	return w.tcp == nil || unacknowledged(w.tcp) == 0, nil
}

// Close ends it.
func (w *Way) Close() { _ = w.conn.Close() }

// explain says in plain words what is wrong with the way to a log server.
func explain(host string, err error) error {
	err = dial.Explain(host, err)
	if f := fault.As(err); f.Code == "refused" || f.Code == "broke-off" || f.Code == "silent" {
		f.Fix = "look at the log server: whether it takes syslog there, over TLS where tls:// is written"
		return f
	}
	return err
}

func severity(kind string) syslog.Severity {
	switch kind {
	case event.EmergencyOpened:
		return syslog.Alert
	case event.SignInBad, event.EnrolRefused:
		return syslog.Warning
	}
	return syslog.Notice
}
