package agent

import (
	"crypto/tls"
	"crypto/x509"
	"testing"
	"time"

	"cirque/core/fault"
	"cirque/internal/ca"
)

// TestMeets: the authority that a service shows first is the one that it shows from then on; one that vouches for
// another name, or for nothing, is none.
func TestMeets(t *testing.T) {
	t.Parallel()
	shows := func(hosts ...string) tls.ConnectionState {
		t.Helper()
		a, err := ca.Open(t.TempDir(), time.Now())
		if err != nil {
			t.Fatal(err)
		}
		chain, err := a.Server(hosts, time.Now())
		if err != nil {
			t.Fatal(err)
		}
		var cs tls.ConnectionState
		for _, der := range chain.Certificate {
			cert, err := x509.ParseCertificate(der)
			if err != nil {
				t.Fatal(err)
			}
			cs.PeerCertificates = append(cs.PeerCertificates, cert)
		}
		return cs
	}
	c, err := newClient("https://127.0.0.1:1", "", nil)
	if err != nil {
		t.Fatal(err)
	}
	own, others, elsewhere := shows("127.0.0.1"), shows("127.0.0.1"), shows("192.0.2.1")
	alone := tls.ConnectionState{PeerCertificates: own.PeerCertificates[:1]}
	var met first
	for what, cs := range map[string]tls.ConnectionState{"another name": elsewhere, "no authority": alone} {
		if err := c.meets(cs, &met); fault.As(err).Code != "service-certificate" || met.pem() != nil {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := c.meets(own, &met); err != nil || !met.authority().Equal(own.PeerCertificates[1]) {
		t.Fatal(err)
	}
	for what, cs := range map[string]tls.ConnectionState{"another authority": others, "another name": elsewhere} {
		if err := c.meets(cs, &met); err == nil || !met.authority().Equal(own.PeerCertificates[1]) {
			t.Errorf("%s is taken afterwards", what)
		}
	}
	if err := c.meets(alone, &met); err != nil {
		t.Error("its own authority need not be shown again:", err)
	}
}
