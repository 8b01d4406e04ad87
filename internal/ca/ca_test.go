package ca

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"os"
	"path/filepath"
	"testing"
	"time"

	"cirque/core/fault"
)

var now = time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)

func open(t *testing.T, dir string) *Authority {
	t.Helper()
	a, err := Open(dir, now)
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// TestOpen: an authority is made once, its key is nobody else's to read, and what is broken is not replaced.
func TestOpen(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "ca")
	a := open(t, dir)
	if b := open(t, dir); a.Fingerprint() != b.Fingerprint() || !bytes.Equal(a.Trust(), b.Trust()) {
		t.Error("another authority is opened than was made")
	}
	for name, mode := range map[string]os.FileMode{".": 0o700, "ca-key.pem": 0o600, "ca.pem": 0o644} {
		info, err := os.Stat(filepath.Join(dir, name))
		if err != nil || info.Mode().Perm() != mode {
			t.Errorf("%s: %v %v, want %v", name, info.Mode(), err, mode)
		}
	}
	if err := os.WriteFile(filepath.Join(dir, "ca-key.pem"), []byte("no key"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(dir, now); !fault.Is(err, fault.Invalid) || fault.As(err).Code != "ca-broken" {
		t.Errorf("a broken key: %v", err)
	}
	if b, err := os.ReadFile(filepath.Join(dir, "ca-key.pem")); err != nil || string(b) != "no key" {
		t.Errorf("the broken key was replaced: %q %v", b, err)
	}
}

// TestServer: the service's certificate holds for what it was asked for, is kept, and is made anew for other names,
// near its end, and under another authority.
func TestServer(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	a := open(t, dir)
	get := func(a *Authority, at time.Time, hosts ...string) *x509.Certificate {
		t.Helper()
		pair, err := a.Server(hosts, at)
		if err != nil {
			t.Fatal(err)
		}
		if len(pair.Certificate) != 2 || !bytes.Equal(pair.Certificate[1], a.all.Load().current.cert.Raw) {
			t.Error("the authority's certificate is not sent along")
		}
		cert, err := x509.ParseCertificate(pair.Certificate[0])
		if err != nil {
			t.Fatal(err)
		}
		for _, h := range hosts {
			if _, err := cert.Verify(x509.VerifyOptions{DNSName: h, Roots: a.Pool(), CurrentTime: at}); err != nil {
				t.Errorf("%s: %v", h, err)
			}
		}
		return cert
	}
	hosts := []string{"cirque.example", "192.0.2.7", "2001:db8::7"}
	first := get(a, now, hosts...)
	if again := get(open(t, dir), now.Add(24*time.Hour), hosts[0]); !again.Equal(first) {
		t.Error("it was made anew, and nothing had changed")
	}
	other := get(a, now, "print.example")
	if other.Equal(first) {
		t.Error("it is given for a name that it does not have")
	}
	if late := get(a, other.NotAfter.Add(-renewBefore+time.Hour), "print.example"); late.Equal(other) {
		t.Error("it is not renewed before its end")
	}
	for _, f := range []string{"ca.pem", "ca-key.pem"} {
		if err := os.Remove(filepath.Join(dir, f)); err != nil {
			t.Fatal(err)
		}
	}
	get(open(t, dir), now, "print.example") // verifies against the new authority
}

func request(t *testing.T, key any, name string) []byte {
	t.Helper()
	der, err := x509.CreateCertificateRequest(rand.Reader, &x509.CertificateRequest{Subject: pkix.Name{CommonName: name}},
		key)
	if err != nil {
		t.Fatal(err)
	}
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE REQUEST", Bytes: der})
}

func ecKey(t *testing.T, curve elliptic.Curve) *ecdsa.PrivateKey {
	t.Helper()
	key, err := ecdsa.GenerateKey(curve, rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	return key
}

// TestIssue: of a request only its key counts; what is issued is for clients, and ends no later than the authority.
func TestIssue(t *testing.T) {
	t.Parallel()
	a := open(t, t.TempDir())
	key := ecKey(t, elliptic.P256())
	asked := request(t, key, "somebody-else")
	got, err := a.Issue(asked, "till-07", 24*time.Hour, false, now)
	if err != nil {
		t.Fatal(err)
	}
	block, _ := pem.Decode(got.PEM)
	cert, err := x509.ParseCertificate(block.Bytes)
	if err != nil {
		t.Fatal(err)
	}
	if cert.Subject.CommonName != "till-07" || !cert.NotAfter.Equal(got.ExpiresAt) ||
		!got.ExpiresAt.Equal(now.Add(24*time.Hour)) || cert.SerialNumber.Text(16) != got.Serial {
		t.Errorf("%+v of %v until %v", got, cert.Subject, cert.NotAfter)
	}
	for usage, ok := range map[x509.ExtKeyUsage]bool{x509.ExtKeyUsageClientAuth: true, x509.ExtKeyUsageServerAuth: false} {
		_, err := cert.Verify(x509.VerifyOptions{Roots: a.Pool(), CurrentTime: now, KeyUsages: []x509.ExtKeyUsage{usage}})
		if (err == nil) != ok {
			t.Errorf("usage %d: %v", usage, err)
		}
	}
	if _, err := tls.X509KeyPair(got.PEM, keyPEM(t, key)); err != nil {
		t.Error("it is not of the key that was asked with:", err)
	}
	again, err := a.Issue(asked, "till-07", 24*time.Hour, false, now)
	if err != nil || again.Serial == got.Serial || again.Key != got.Key {
		t.Errorf("the same key again: %+v %v", again, err)
	}
	if long, err := a.Issue(asked, "till-07", 2*caLasts, false,
		now); err != nil || long.ExpiresAt.After(a.all.Load().current.cert.NotAfter) {
		t.Errorf("it outlives its authority: %v %v", long.ExpiresAt, err)
	}
}

func keyPEM(t *testing.T, key any) []byte {
	t.Helper()
	der, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	return pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der})
}

// TestIssueRefuses what is no request, is not signed by its own key, or has a key of another kind.
func TestIssueRefuses(t *testing.T) {
	t.Parallel()
	a := open(t, t.TempDir())
	_, edwards, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	good := request(t, ecKey(t, elliptic.P384()), "x")
	if _, err := a.Issue(good, "x", time.Hour, false, now); err != nil {
		t.Error("P-384:", err)
	}
	forged, _ := pem.Decode(good)
	forged.Bytes[len(forged.Bytes)-1] ^= 1
	for what, b := range map[string][]byte{"nothing": nil, "text": []byte("hello"), "another kind of key": request(t,
		edwards, "x"),
		"a short curve": request(t, ecKey(t, elliptic.P224()), "x"), "a certificate": a.Trust(),
		"a forged signature": pem.EncodeToMemory(forged)} {
		if _, err := a.Issue(b, "x", time.Hour, false, now); !fault.Is(err, fault.Invalid) {
			t.Errorf("%s: %v", what, err)
		}
	}
}
