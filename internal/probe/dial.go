// Package probe holds Cirque's network clients: they dial, send, bound what comes back, and turn failures into plain words.
package probe

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"syscall"
	"time"

	"go.yaml.in/yaml/v3"

	"cirque/internal/fault"
)

// An AddressTable leads documented addresses elsewhere, such as to stand-ins on loopback: from "host:port" to "host:port".
type AddressTable map[string]string

// ReadAddressTable reads a YAML file of host:port pairs.
func ReadAddressTable(file string) (AddressTable, error) {
	b, err := os.ReadFile(file)
	if err != nil {
		return nil, fault.New(fault.Invalid, "address-table", "name a readable file", "the address table %s cannot be read", file).Because(err)
	}
	var t AddressTable
	if err := yaml.Unmarshal(b, &t); err != nil {
		return nil, fault.New(fault.Invalid, "address-table", `write lines such as "10.40.8.31:631": "127.0.0.1:9031"`, "the address table %s cannot be understood", file).Because(err)
	}
	for from, to := range t {
		for _, a := range []string{from, to} {
			if _, _, err := net.SplitHostPort(a); err != nil {
				return nil, fault.New(fault.Invalid, "address-table", "write HOST:PORT", "%q in the address table %s is no address with a port", a, file)
			}
		}
	}
	return t, nil
}

const (
	dialWithin   = 4 * time.Second
	answerWithin = 30 * time.Second
)

// client makes an HTTP client that goes by the table and follows no redirects.
func (t AddressTable) client() *http.Client {
	d := &net.Dialer{Timeout: dialWithin}
	return &http.Client{
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport: &http.Transport{
			DialContext: func(ctx context.Context, network, addr string) (net.Conn, error) {
				if to, ok := t[addr]; ok {
					addr = to
				}
				return d.DialContext(ctx, network, addr)
			},
			TLSClientConfig:       &tls.Config{MinVersion: tls.VersionTLS12},
			ResponseHeaderTimeout: answerWithin,
			IdleConnTimeout:       30 * time.Second,
			MaxIdleConnsPerHost:   2,
		},
	}
}

// explain puts a failed exchange into plain words.
func explain(host string, err error) error {
	var dns *net.DNSError
	var unknown x509.UnknownAuthorityError
	var badName x509.HostnameError
	var expired x509.CertificateInvalidError
	what, fix := fmt.Sprintf("%s broke off", host), "try again, and look at the device"
	var timeout interface{ Timeout() bool }
	switch {
	case errors.As(err, &dns) && dns.IsNotFound:
		what, fix = fmt.Sprintf("the name %s is not found", host), "check the name, or the DNS server"
	case errors.Is(err, syscall.ECONNREFUSED):
		what, fix = fmt.Sprintf("%s refuses the connection", host), "check that it is on, and that IPP is switched on"
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		what, fix = fmt.Sprintf("there is no way to %s", host), "check the address and the network"
	case errors.As(err, &unknown), errors.As(err, &badName), errors.As(err, &expired):
		what, fix = fmt.Sprintf("the certificate of %s is not trusted", host), "give it a certificate that this machine trusts"
	case errors.As(err, &timeout) && timeout.Timeout():
		what, fix = fmt.Sprintf("%s does not answer", host), "check that it is on, and the address"
	}
	return fault.New(fault.Unavailable, "device-unreachable", fix, "%s", what).Because(err)
}
