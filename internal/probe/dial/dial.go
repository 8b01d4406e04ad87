// Package dial is the one way out: every connection that Cirque makes to a server, device, directory, mail server or
// hook is dialled here, by the address table where there is one, under the rules of where it may go, and never under a
// lease that has ended. It also puts failures into plain words.
package dial

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"os"
	"strings"
	"syscall"
	"time"

	"cirque/core/lease"

	"go.yaml.in/yaml/v3"

	"cirque/core/fault"
	"cirque/core/name"
)

// An AddressTable leads documented addresses elsewhere, such as to stand-ins on loopback: from "host:port" to
// "host:port". Where there is one, nothing but what it names and loopback is reached.
type AddressTable map[string]string

// ReadAddressTable reads a YAML file of host:port pairs.
func ReadAddressTable(file string) (AddressTable, error) {
	b, err := os.ReadFile(file)
	if err != nil {
		return nil, fault.New(fault.Invalid, "address-table", "name a readable file", "the address table %s cannot be read",
			file).Because(err)
	}
	var t AddressTable
	if err := yaml.Unmarshal(b, &t); err != nil {
		return nil, fault.New(fault.Invalid, "address-table", `write lines such as "10.40.8.31:631": "127.0.0.1:9031"`,
			"the address table %s cannot be understood", file).Because(err)
	}
	for from, to := range t {
		for _, a := range []string{from, to} {
			if _, _, err := net.SplitHostPort(a); err != nil {
				return nil, fault.New(fault.Invalid, "address-table", "write HOST:PORT", "%q in the address table %s is no "+
					"address with a port", a, file)
			}
		}
	}
	return t, nil
}

// How long a connection and the beginning of an answer may take.
const (
	Within       = 4 * time.Second
	AnswerWithin = 30 * time.Second
)

// errNotInTable is a host that a table does not name. Whoever practises with stand-ins must not reach what is real.
var errNotInTable = errors.New("the address table leads nowhere for it")

// errLeaseEnded keeps whoever woke too late from reaching out.
var errLeaseEnded = errors.New("the lease under which it was asked has ended")

// Lead gives where an address really is. Where there is a table, it and loopback are all there is.
func (t AddressTable) Lead(addr string) (string, error) {
	if len(t) == 0 {
		return addr, nil
	}
	if to, ok := t[addr]; ok {
		return to, nil
	}
	host, _, err := net.SplitHostPort(addr)
	if err == nil && name.Loopback(host) {
		return addr, nil
	}
	return "", fmt.Errorf("%s: %w", addr, errNotInTable)
}

// A Dialer makes all connections that go out: by its table, under its rules. A nil one goes anywhere.
type Dialer struct {
	table AddressTable
	rules *Rules
}

// New makes a Dialer; both may be nil. What the table leads somewhere is whoever started the process' word, and under
// no rule.
func New(t AddressTable, r *Rules) *Dialer { return &Dialer{t, r} }

// Lead gives where an address really is, and what judges the socket that is connected there; nil is free.
func (d *Dialer) Lead(use Use, addr string) (string, func(network, address string, c syscall.RawConn) error, error) {
	if d == nil {
		return addr, nil, nil
	}
	to, err := d.table.Lead(addr)
	if err != nil || d.rules == nil || to != addr {
		return to, nil, err
	}
	return to, d.rules.Control(use), nil
}

// Dial connects. Under a lease that has ended it does not: whoever holds it now goes on.
func (d *Dialer) Dial(ctx context.Context, use Use, network, addr string, within time.Duration) (net.Conn, error) {
	if lease.Ended(ctx.Value) {
		return nil, errLeaseEnded
	}
	to, control, err := d.Lead(use, addr)
	if err != nil {
		return nil, err
	}
	return (&net.Dialer{Timeout: within, Control: control}).DialContext(ctx, network, to)
}

// Resolve looks a host's name up, as connecting to it would: how is yes or no, address where it is one itself, and
// table where a table leads there instead.
func (d *Dialer) Resolve(ctx context.Context, host string) (addresses []netip.Addr, how string, err error) {
	if a, err := netip.ParseAddr(host); err == nil {
		return []netip.Addr{a}, "address", nil
	}
	if d != nil && len(d.table) > 0 {
		for from := range d.table {
			if h, _, err := net.SplitHostPort(from); err == nil && h == host {
				return nil, "table", nil
			}
		}
		return nil, "no", fmt.Errorf("%s: %w", host, errNotInTable)
	}
	within, cancel := context.WithTimeout(ctx, Within)
	defer cancel()
	if addresses, err = net.DefaultResolver.LookupNetIP(within, "ip", host); err != nil {
		return nil, "no", err
	}
	return addresses, "yes", nil
}

// Client makes an HTTP client for a use, which follows no redirects and asks no proxy.
func (d *Dialer) Client(use Use) *http.Client { return d.ClientTrusting(use, nil) }

// ClientTrusting is Client with the authorities that it trusts, the system's where they are nil.
func (d *Dialer) ClientTrusting(use Use, roots *x509.CertPool) *http.Client {
	return &http.Client{
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport: leased{&http.Transport{
			DialContext: func(ctx context.Context, network, addr string) (net.Conn, error) {
				return d.Dial(ctx, use, network, addr, Within)
			},
			TLSClientConfig:       &tls.Config{MinVersion: tls.VersionTLS12, RootCAs: roots},
			ResponseHeaderTimeout: AnswerWithin,
			IdleConnTimeout:       30 * time.Second,
			MaxIdleConnsPerHost:   2,
		}},
	}
}

// leased sends nothing under a lease that has ended, also where a connection is there already.
type leased struct{ http.RoundTripper }

func (l leased) RoundTrip(r *http.Request) (*http.Response, error) {
	if lease.Ended(r.Context().Value) {
		return nil, errLeaseEnded
	}
	return l.RoundTripper.RoundTrip(r)
}

// Explain puts a failed exchange into plain words.
func Explain(host string, err error) error {
	var dns *net.DNSError
	var unknown x509.UnknownAuthorityError
	var badName x509.HostnameError
	var expired x509.CertificateInvalidError
	code, what, fix := "broke-off", fmt.Sprintf("%s broke off", host), "try again, and look at the device"
	var timeout interface{ Timeout() bool }
	var kept errOutgoing
	switch {
	case errors.As(err, &kept):
		code, what, fix = "outgoing-refused", fmt.Sprintf("Cirque does not connect to %s: %s", host, kept.says), kept.fix
	case errors.As(err, &dns) && dns.IsNotFound:
		code, what, fix = "name-not-found", fmt.Sprintf("the name %s is not found", host), "check the name, or the DNS server"
	case errors.Is(err, syscall.ECONNREFUSED):
		code, what, fix = "refused", fmt.Sprintf("%s refuses the connection", host), "check that it is on, and that IPP is "+
			"switched on"
	case errors.Is(err, errNotInTable):
		code, what, fix = "no-way", fmt.Sprintf("there is no stand-in for %s", host), "add it to the address table, or "+
			"start the service without one"
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		code, what, fix = "no-way", fmt.Sprintf("there is no way to %s", host), "check the address and the network"
	case errors.As(err, &unknown), errors.As(err, &badName), errors.As(err, &expired):
		code, what, fix = "certificate", fmt.Sprintf("the certificate of %s is not trusted", host), "give it a certificate "+
			"that this machine trusts"
	case strings.Contains(err.Error(), "first record does not look like a TLS handshake"), strings.Contains(err.Error(),
		"server gave HTTP response to HTTPS client"):
		code, what, fix = "not-tls", fmt.Sprintf("%s does not speak TLS", host), "write ipp:// instead of ipps://"
	case errors.As(err, &timeout) && timeout.Timeout(), errors.Is(err, context.DeadlineExceeded):
		code, what, fix = "silent", fmt.Sprintf("%s does not answer", host), "check that it is on, and the address"
	// it spoke first, as no HTTP server does
	case strings.Contains(err.Error(), "malformed HTTP"), strings.Contains(err.Error(), "readLoopPeekFailLocked"):
		code, what, fix = "not-ipp", fmt.Sprintf("%s does not speak IPP", host), "check the port"
	}
	return fault.New(fault.Unavailable, code, fix, "%s", what).Because(err)
}
