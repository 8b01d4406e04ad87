package ca

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"encoding/pem"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
)

// Trust gives the certificates by which this service is known and will be, as PEM: the current authority's, and the
// next one's where there is one.
func (a *Authority) Trust() []byte {
	all := a.all.Load()
	out := pemOf(all.current.cert)
	if all.next != nil {
		out = append(out, pemOf(all.next.cert)...)
	}
	return out
}

func pemOf(c *x509.Certificate) []byte {
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: c.Raw})
}

// Fingerprint is the SHA-256 of the current authority's certificate, hexadecimal.
func (a *Authority) Fingerprint() string { return fingerprint(a.all.Load().current.cert) }

// Issuing is the fingerprint of the authority by which machines are certified that follow from one to the next.
func (a *Authority) Issuing() string { return fingerprint(a.issuer(true).cert) }

// Alone says that there is no next authority and no former one.
func (a *Authority) Alone() bool {
	all := a.all.Load()
	return all.next == nil && all.former == nil
}

func fingerprint(c *x509.Certificate) string {
	sum := sha256.Sum256(c.Raw)
	return hex.EncodeToString(sum[:])
}

// issuer is the next authority for machines that follow, where there is one.
func (a *Authority) issuer(follows bool) pair {
	all := a.all.Load()
	if follows && all.next != nil {
		return *all.next
	}
	return all.current
}

// Pool trusts the authority, the one that comes next, and the one that was before.
func (a *Authority) Pool() *x509.CertPool {
	all := a.all.Load()
	p := x509.NewCertPool()
	p.AddCert(all.current.cert)
	if all.next != nil {
		p.AddCert(all.next.cert)
	}
	if all.former != nil {
		p.AddCert(all.former)
	}
	return p
}

// Issue certifies a machine by its request (PKCS #10, RFC 2986), for TLS clients. Of the request only the key counts:
// who it is, Cirque says. The key must be ECDSA on P-256 or P-384. A machine that follows takes the authorities that
// Trust gives, and is certified by the next one.
func (a *Authority) Issue(request []byte, machine string, lasts time.Duration, follows bool,
	now time.Time) (access.Certificate, error) {
	by := a.issuer(follows)
	bad := func(err error) (access.Certificate, error) {
		return access.Certificate{}, fault.New(fault.Invalid, "request-certificate", "let cirque-agent make it",
			"the certificate request cannot be used").Because(err)
	}
	block, _ := pem.Decode(request)
	if block == nil || block.Type != "CERTIFICATE REQUEST" {
		return bad(nil)
	}
	req, err := x509.ParseCertificateRequest(block.Bytes)
	if err != nil {
		return bad(err)
	}
	if err := req.CheckSignature(); err != nil {
		return bad(err)
	}
	key, ok := req.PublicKey.(*ecdsa.PublicKey)
	if !ok || key.Curve != elliptic.P256() && key.Curve != elliptic.P384() {
		return bad(nil)
	}
	number, err := serial()
	if err != nil {
		return access.Certificate{}, err
	}
	t := &x509.Certificate{SerialNumber: number, Subject: pkix.Name{CommonName: machine},
		NotBefore: now.Add(-5 * time.Minute), NotAfter: now.Add(lasts).Truncate(time.Second),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth},
		BasicConstraintsValid: true}
	if t.NotAfter.After(by.cert.NotAfter) {
		t.NotAfter = by.cert.NotAfter
	}
	der, err := x509.CreateCertificate(rand.Reader, t, by.cert, key, by.key)
	if err != nil {
		return access.Certificate{}, err
	}
	cert, err := x509.ParseCertificate(der)
	if err != nil {
		return access.Certificate{}, err
	}
	sum := sha256.Sum256(cert.RawSubjectPublicKeyInfo)
	return access.Certificate{PEM: pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}),
		Serial: cert.SerialNumber.Text(16), Key: hex.EncodeToString(sum[:]), ExpiresAt: cert.NotAfter,
		Authority: fingerprint(by.cert)}, nil
}
