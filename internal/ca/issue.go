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

// PEM gives the authority's own certificate.
func (a *Authority) PEM() []byte {
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: a.cert.Raw})
}

// Fingerprint is the SHA-256 of the authority's certificate, hexadecimal.
func (a *Authority) Fingerprint() string {
	sum := sha256.Sum256(a.cert.Raw)
	return hex.EncodeToString(sum[:])
}

// Pool trusts the authority alone.
func (a *Authority) Pool() *x509.CertPool {
	p := x509.NewCertPool()
	p.AddCert(a.cert)
	return p
}

// Issue certifies a machine by its request (PKCS #10, RFC 2986), for TLS clients. Of the request only the key counts:
// who it is, Cirque says. The key must be ECDSA on P-256 or P-384.
func (a *Authority) Issue(request []byte, machine string, lasts time.Duration,
	now time.Time) (access.Certificate, error) {
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
	if t.NotAfter.After(a.cert.NotAfter) {
		t.NotAfter = a.cert.NotAfter
	}
	der, err := x509.CreateCertificate(rand.Reader, t, a.cert, key, a.key)
	if err != nil {
		return access.Certificate{}, err
	}
	cert, err := x509.ParseCertificate(der)
	if err != nil {
		return access.Certificate{}, err
	}
	sum := sha256.Sum256(cert.RawSubjectPublicKeyInfo)
	return access.Certificate{PEM: pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}),
		Serial: cert.SerialNumber.Text(16), Key: hex.EncodeToString(sum[:]), ExpiresAt: cert.NotAfter}, nil
}
