// Package ca is Cirque's own certificate authority: made at first start, kept beside the data, it certifies the service
// to those who trust its certificate.
package ca

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"io/fs"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"time"

	"cirque/core/fault"
	"cirque/internal/whole"
)

const (
	caLasts     = 10 * 365 * 24 * time.Hour
	serverLasts = 397 * 24 * time.Hour // the longest that common clients take
	renewBefore = 30 * 24 * time.Hour
)

// An Authority signs certificates.
type Authority struct {
	dir  string
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
	// Anew says that the one before was empty, so that a new one was made: whoever trusted that one trusts this one no
	// more.
	Anew bool
}

func ignoreMissing(err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// Open reads the authority in dir, or makes it.
func Open(dir string, now time.Time) (*Authority, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	a := &Authority{dir: dir}
	for file, other := range map[string]string{a.CertFile(): a.file("ca-key.pem"), a.file("ca-key.pem"): a.CertFile()} {
		if info, err := os.Stat(file); err != nil || info.Size() > 0 {
			continue
		}
		// A full disk may have left it so. What stands beside it is of no use alone, and is kept all the same.
		a.Anew = true
		if err := errors.Join(os.Remove(file), ignoreMissing(os.Rename(other, other+".old"))); err != nil {
			return nil, err
		}
	}
	pair, err := tls.LoadX509KeyPair(a.CertFile(), a.file("ca-key.pem"))
	if errors.Is(err, fs.ErrNotExist) {
		return a, a.create(now)
	}
	if err != nil {
		return nil, broken(dir, err)
	}
	key, ok := pair.PrivateKey.(*ecdsa.PrivateKey)
	if !ok {
		return nil, broken(dir, errors.New("the key is of another kind"))
	}
	a.cert, a.key = pair.Leaf, key
	return a, nil
}

func broken(dir string, err error) error {
	return fault.New(fault.Invalid, "ca-broken", "restore it from a copy, or move it away to have a new one made",
		"the certificate authority in %s cannot be read", dir).Because(err)
}

// CertFile is the certificate that clients trust.
func (a *Authority) CertFile() string { return a.file("ca.pem") }

func (a *Authority) file(name string) string { return filepath.Join(a.dir, name) }

func serial() (*big.Int, error) { return rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120)) }

func (a *Authority) create(now time.Time) error {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	number, err := serial()
	if err != nil {
		return err
	}
	t := &x509.Certificate{SerialNumber: number, Subject: pkix.Name{CommonName: "Cirque certificate authority"},
		NotBefore: now.Add(-time.Hour), NotAfter: now.Add(caLasts),
		KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign, BasicConstraintsValid: true, IsCA: true, MaxPathLenZero: true}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &key.PublicKey, key)
	if err != nil {
		return err
	}
	if a.cert, err = x509.ParseCertificate(der); err != nil {
		return err
	}
	a.key = key
	return writePair(a.CertFile(), a.file("ca-key.pem"), der, key)
}

// Server gives the service's certificate for names and addresses, newly made when the kept one is for others, is about
// to end, or is by another authority.
func (a *Authority) Server(hosts []string, now time.Time) (tls.Certificate, error) {
	certFile, keyFile := a.file("server.pem"), a.file("server-key.pem")
	if pair, err := tls.LoadX509KeyPair(certFile, keyFile); err == nil && pair.Leaf.CheckSignatureFrom(a.cert) == nil &&
		now.Before(pair.Leaf.NotAfter.Add(-renewBefore)) &&
		!slices.ContainsFunc(hosts, func(h string) bool { return pair.Leaf.VerifyHostname(h) != nil }) {
		return a.chain(pair), nil
	}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return tls.Certificate{}, err
	}
	number, err := serial()
	if err != nil {
		return tls.Certificate{}, err
	}
	t := &x509.Certificate{SerialNumber: number, Subject: pkix.Name{CommonName: "Cirque"}, NotBefore: now.Add(-time.Hour),
		NotAfter: now.Add(serverLasts),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	for _, h := range hosts {
		if ip := net.ParseIP(h); ip != nil {
			t.IPAddresses = append(t.IPAddresses, ip)
		} else {
			t.DNSNames = append(t.DNSNames, h)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, t, a.cert, &key.PublicKey, a.key)
	if err != nil {
		return tls.Certificate{}, err
	}
	leaf, err := x509.ParseCertificate(der)
	if err != nil {
		return tls.Certificate{}, err
	}
	// Where it cannot be kept it serves all the same, and another one is made at the next start.
	_ = writePair(certFile, keyFile, der, key)
	return a.chain(tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key, Leaf: leaf}), nil
}

// chain sends the authority's certificate along, for agents that know it by its fingerprint.
func (a *Authority) chain(pair tls.Certificate) tls.Certificate {
	pair.Certificate = append(slices.Clone(pair.Certificate), a.cert.Raw)
	return pair
}

// writePair writes the key first: a certificate without its key would be taken for a broken authority.
func writePair(certFile, keyFile string, der []byte, key *ecdsa.PrivateKey) error {
	k, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	if err := whole.Write(keyFile, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: k}), 0o600); err != nil {
		return err
	}
	return whole.Write(certFile, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o644)
}
