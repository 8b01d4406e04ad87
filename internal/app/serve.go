package app

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"
	_ "time/tzdata" // zones wherever it runs

	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/ca"
	"cirque/internal/front"
	"cirque/internal/gateway"
	"cirque/internal/httpapi"
	"cirque/internal/service"
)

// listen listens where the service does.
func listen(o Options, c *closers) (net.Listener, error) {
	ln, err := listenAt(o)
	if err != nil {
		return nil, err
	}
	c.add(func() error { return ignoreClosed(ln.Close()) })
	return ln, nil
}

func listenAt(o Options) (net.Listener, error) {
	host, _, err := net.SplitHostPort(o.Listen)
	if err != nil {
		return nil, fault.New(fault.Invalid, "listen-address", "write HOST:PORT, such as 127.0.0.1:8631",
			"%q is no address to listen at", o.Listen)
	}
	if o.PlainHTTP && !name.Loopback(host) {
		return nil, fault.New(fault.Invalid, "plain-http", "leave --plain-http out, or listen at 127.0.0.1",
			"plain HTTP is for loopback only, and %s is not", o.Listen)
	}
	ln, err := net.Listen("tcp", o.Listen)
	if err != nil {
		return nil, fault.New(fault.Unavailable, "listen", "stop what listens there, or name another address with --listen",
			"%s cannot be listened at", o.Listen).Because(err)
	}
	return ln, nil
}

func ignoreClosed(err error) error {
	if errors.Is(err, net.ErrClosed) {
		return nil
	}
	return err
}

// byName is the address of a service that listens at every address of its machine: by the machine's name, which its
// certificate has, too. Empty where it listens at one address, by which it is reached.
func byName(at net.Addr, plain bool) string {
	tcp, ok := at.(*net.TCPAddr)
	if !ok || !tcp.IP.IsUnspecified() {
		return ""
	}
	host, err := os.Hostname()
	if err != nil || host == "" {
		return ""
	}
	scheme := "https"
	if plain {
		scheme = "http"
	}
	return fmt.Sprintf("%s://%s", scheme, net.JoinHostPort(strings.ToLower(host), strconv.Itoa(tcp.Port)))
}

// agentsURL is where agents enrol: where others reach the service, or where it speaks TLS besides; empty where it does
// not.
func agentsURL(public string, second net.Listener) string {
	switch {
	case strings.HasPrefix(public, "https://"):
		return public
	case second != nil:
		return "https://" + second.Addr().String()
	}
	return ""
}

// serve puts the handler on the listener, and with TLS on the second one where there is one.
func serve(o Options, ln net.Listener, svc *service.Service, authority *ca.Authority, r *Running, c *closers) error {
	console, err := fs.Sub(dist, "dist")
	if err != nil {
		return err
	}
	if _, err := fs.Stat(console, "index.html"); err != nil { // built without the console
		console = nil
	}
	stopping, stop := context.WithCancel(context.Background())
	var shown atomic.Pointer[showing]
	shown.Store(&showing{names: hostsOf(o.PublicURL, nil)})
	h, err := httpapi.New(svc, httpapi.Config{Log: o.Log, Version: Version, Secure: !o.PlainHTTP, Console: console,
		Gateway: gateway.New(gateway.Config{Identity: svc.Identity, Certificates: svc.Enrolment,
			Jobs: svc.Printing, Log: o.Log, PublicURL: o.PublicURL}), Stopping: stopping, Queries: r.store.Queries,
		Proxies: o.Proxies, Hosts: func() []string { return shown.Load().names }})
	if err != nil {
		stop()
		return err
	}
	if o.Around != nil {
		h = o.Around(h)
	}
	r.URL = "http://" + ln.Addr().String()
	var doors closers
	c.add(func() error { return doors.together() })
	if err := answerAt(stopping, o, ln, !o.PlainHTTP, h, authority, &shown, r, &doors); err != nil {
		stop()
		return err
	}
	if o.second != nil {
		plain := r.URL
		if err := answerAt(stopping, o, o.second, true, h, authority, &shown, r, &doors); err != nil {
			stop()
			return err
		}
		r.URL, r.SecureURL = plain, r.URL
	}
	if byName(ln.Addr(), o.PlainHTTP) != "" {
		r.URL = o.PublicURL // nobody reaches it at no address
	}
	c.add(func() error { stop(); return nil }) // first of all, so that whoever waits is let go
	return nil
}

// answerAt answers at a listener with h, until the service is stopped.
func answerAt(stopping context.Context, o Options, ln net.Listener, tls bool, h http.Handler, authority *ca.Authority,
	shown *atomic.Pointer[showing], r *Running, c *closers) error {
	door := front.Listen(ln, front.Config{PerAddress: o.PerAddress, Proxies: o.Proxies, Protocol: o.ProxyProtocol})
	server := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 64 << 10, ErrorLog: slog.NewLogLogger(o.Log.Handler(), slog.LevelDebug),
		ConnContext: func(ctx context.Context, c net.Conn) context.Context {
			if f := fronted(c); f != nil {
				ctx = httpapi.OnConnection(ctx, f)
			}
			return ctx
		},
		ConnState: func(c net.Conn, state http.ConnState) {
			if f := fronted(c); f != nil && state == http.StateIdle {
				f.Idle()
			}
		}}
	serve := func() error { return server.Serve(door) }
	if tls {
		if err := secure(stopping, o, ln.Addr(), authority, shown, server, r); err != nil {
			return err
		}
		serve = func() error { return server.ServeTLS(door, "", "") }
	}
	done := make(chan error, 1)
	go func() { done <- serve() }()
	c.add(func() error {
		ctx, cancel := context.WithTimeout(context.Background(), stopWithin)
		defer cancel()
		err := server.Shutdown(ctx)
		if errors.Is(err, context.DeadlineExceeded) {
			err = server.Close() // whoever holds a request for longer is cut off
		}
		if served := <-done; !errors.Is(served, http.ErrServerClosed) {
			err = errors.Join(err, served)
		}
		return err
	})
	return nil
}

// secure has the server speak TLS: with the certificate that was named or one of the authority, renewed in time, and
// trusting what machines show that the authority has certified.
func secure(ctx context.Context, o Options, at net.Addr, authority *ca.Authority, shown *atomic.Pointer[showing],
	server *http.Server, r *Running) error {
	cert, caFile, err := certificate(o, authority, at)
	if err != nil {
		return err
	}
	show := func(cert tls.Certificate) (was *tls.Certificate) {
		return shown.Swap(&showing{&cert, hostsOf(o.PublicURL, cert.Leaf)}).cert
	}
	show(cert)
	again := func() {
		next, _, err := certificate(o, authority, at)
		if err != nil {
			o.Log.Error("the certificate stays as it was", "error", err)
			return
		}
		if was := show(next); !bytes.Equal(was.Certificate[0], next.Certificate[0]) {
			o.Log.Info("another certificate is shown from now on", "until", next.Leaf.NotAfter)
		}
	}
	r.reload = append(r.reload, again)
	go repeat(ctx, renewEvery, again)
	r.URL, r.CAFile = "https://"+at.String(), caFile
	// The protocols are named, since each handshake is given a configuration that the server has not completed.
	server.TLSConfig = &tls.Config{MinVersion: tls.VersionTLS12, NextProtos: []string{"h2", "http/1.1"},
		GetCertificate: func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return shown.Load().cert, nil },
		ClientAuth:     tls.VerifyClientCertIfGiven}
	var trusting atomic.Pointer[tls.Config]
	base := server.TLSConfig.Clone()
	trust := func() {
		c := base.Clone()
		c.ClientCAs = authority.Pool()
		trusting.Store(c)
	}
	trust()
	server.TLSConfig.GetConfigForClient = func(*tls.ClientHelloInfo) (*tls.Config, error) { return trusting.Load(), nil }
	r.follow = func() { trust(); again() }
	return nil
}

// renewEvery is how often it is looked whether the certificate is to be renewed, or another one lies in its file.
const renewEvery = time.Hour

// repeat does something every so often, until ctx is done.
func repeat(ctx context.Context, every time.Duration, do func()) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			do()
		}
	}
}

// showing is the certificate that is shown, and the names under which the service is asked for then.
type showing struct {
	cert  *tls.Certificate // nil over plain HTTP
	names []string
}

// hostsOf gives the names under which the service is asked for: that of its public address, and those of its
// certificate.
func hostsOf(public string, leaf *x509.Certificate) []string {
	var out []string
	if u, err := url.Parse(public); err == nil && u.Hostname() != "" {
		out = append(out, u.Hostname())
	}
	if leaf != nil {
		out = append(out, leaf.DNSNames...)
	}
	return out
}

// fronted gives the connection below TLS.
func fronted(c net.Conn) *front.Conn {
	if t, ok := c.(*tls.Conn); ok {
		c = t.NetConn()
	}
	f, _ := c.(*front.Conn)
	return f
}

// certificate is the one that was named, or one by Cirque's own authority for every name of this machine.
func certificate(o Options, a *ca.Authority, addr net.Addr) (tls.Certificate, string, error) {
	if o.TLSCert != "" || o.TLSKey != "" {
		cert, err := tls.LoadX509KeyPair(o.TLSCert, o.TLSKey)
		if err != nil {
			return cert, "", fault.New(fault.Invalid, "tls-files", "name both --tls-cert and --tls-key, as PEM",
				"the certificate and key cannot be used").Because(err)
		}
		return cert, "", nil
	}
	hosts := []string{"localhost", "127.0.0.1", "::1"}
	if name, err := os.Hostname(); err == nil && name != "" {
		hosts = append(hosts, name)
	}
	if tcp, ok := addr.(*net.TCPAddr); ok && !tcp.IP.IsUnspecified() && !tcp.IP.IsLoopback() {
		hosts = append(hosts, tcp.IP.String())
	}
	for _, public := range hostsOf(o.PublicURL, nil) {
		if !slices.Contains(hosts, public) {
			hosts = append(hosts, public)
		}
	}
	cert, err := a.Server(hosts, time.Now())
	return cert, a.CertFile(), err
}
