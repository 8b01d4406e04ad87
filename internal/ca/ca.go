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
	"sync/atomic"
	"time"

	"cirque/core/fault"
	"cirque/internal/whole"
)

const (
	caLasts     = 10 * 365 * 24 * time.Hour
	serverLasts = 397 * 24 * time.Hour // the longest that common clients take
	renewBefore = 30 * 24 * time.Hour
)

// An Authority signs certificates. It may be followed by a next one, which is trusted and certifies agents already, and
// be preceded by a former one, which is trusted still. Any number of goroutines may use it.
type Authority struct {
	dir string
	all atomic.Pointer[authorities]
	// Anew says that the one before was empty, so that a new one was made: whoever trusted that one trusts this one no
	// more.
	Anew bool
}

// authorities are those that lie in the directory.
type authorities struct {
	current pair
	next    *pair
	former  *x509.Certificate
}

type pair struct {
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
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
	for file, other := range map[string]string{a.CertFile(): a.file(keyFile), a.file(keyFile): a.CertFile()} {
		if info, err := os.Stat(file); err != nil || info.Size() > 0 {
			continue
		}
		// A full disk may have left it so. What stands beside it is of no use alone, and is kept all the same.
		a.Anew = true
		if err := errors.Join(os.Remove(file), ignoreMissing(os.Rename(other, other+".old"))); err != nil {
			return nil, err
		}
	}
	if err := a.finishSwitch(); err != nil {
		return nil, err
	}
	_, err := loadPair(a.CertFile(), a.file(keyFile))
	if errors.Is(err, fs.ErrNotExist) {
		made, err := create(now)
		if err == nil {
			err = writePair(a.CertFile(), a.file(keyFile), made.cert.Raw, made.key)
		}
		if err != nil {
			return nil, err
		}
	}
	return a, a.Reload()
}

// Reload reads again what lies in the directory; what cannot be read leaves it as it was.
func (a *Authority) Reload() error {
	var all authorities
	var err error
	if all.current, err = loadPair(a.CertFile(), a.file(keyFile)); err != nil {
		return broken(a.dir, err)
	}
	switch next, err := loadPair(a.file(nextFile), a.file(nextKeyFile)); {
	case err == nil:
		all.next = &next
	case !errors.Is(err, fs.ErrNotExist):
		return broken(a.dir, err)
	}
	switch b, err := os.ReadFile(a.file(formerFile)); {
	case err == nil:
		block, _ := pem.Decode(b)
		if block == nil {
			return broken(a.dir, errors.New("the former authority is no certificate"))
		}
		if all.former, err = x509.ParseCertificate(block.Bytes); err != nil {
			return broken(a.dir, err)
		}
	case !errors.Is(err, fs.ErrNotExist):
		return broken(a.dir, err)
	}
	a.all.Store(&all)
	return nil
}

// The files of the directory.
const (
	certFile    = "ca.pem"
	keyFile     = "ca-key.pem"
	nextFile    = "next.pem"
	nextKeyFile = "next-key.pem"
	formerFile  = "former.pem"
)

func loadPair(certFile, keyFile string) (p pair, err error) {
	loaded, err := tls.LoadX509KeyPair(certFile, keyFile)
	if err != nil {
		return p, err
	}
	key, ok := loaded.PrivateKey.(*ecdsa.PrivateKey)
	if !ok {
		return p, errors.New("the key is of another kind")
	}
	return pair{loaded.Leaf, key}, nil
}

func broken(dir string, err error) error {
	return fault.New(fault.Invalid, "ca-broken", "restore it from a copy, or move it away to have a new one made",
		"the certificate authority in %s cannot be read", dir).Because(err)
}

// CertFile is the certificate that clients trust.
func (a *Authority) CertFile() string { return a.file(certFile) }

func (a *Authority) file(name string) string { return filepath.Join(a.dir, name) }

func serial() (*big.Int, error) { return rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120)) }

// create makes an authority, and keeps it nowhere.
func create(now time.Time) (p pair, err error) {
	if p.key, err = ecdsa.GenerateKey(elliptic.P256(), rand.Reader); err != nil {
		return p, err
	}
	number, err := serial()
	if err != nil {
		return p, err
	}
	// Each has a name of its own, so that whoever trusts two knows which one is meant (RFC 5280, section 4.1.2.4).
	t := &x509.Certificate{SerialNumber: number,
		Subject:   pkix.Name{CommonName: "Cirque certificate authority", SerialNumber: number.Text(16)[:8]},
		NotBefore: now.Add(-time.Hour), NotAfter: now.Add(caLasts),
		KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign, BasicConstraintsValid: true, IsCA: true, MaxPathLenZero: true}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &p.key.PublicKey, p.key)
	if err != nil {
		return p, err
	}
	p.cert, err = x509.ParseCertificate(der)
	return p, err
}

// Server gives the service's certificate for names and addresses, newly made when the kept one is for others, is about
// to end, or is by another authority.
func (a *Authority) Server(hosts []string, now time.Time) (tls.Certificate, error) {
	by := a.all.Load().current
	certFile, keyFile := a.file("server.pem"), a.file("server-key.pem")
	if pair, err := tls.LoadX509KeyPair(certFile, keyFile); err == nil && pair.Leaf.CheckSignatureFrom(by.cert) == nil &&
		now.Before(pair.Leaf.NotAfter.Add(-renewBefore)) &&
		!slices.ContainsFunc(hosts, func(h string) bool { return pair.Leaf.VerifyHostname(h) != nil }) {
		return by.chain(pair), nil
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
	der, err := x509.CreateCertificate(rand.Reader, t, by.cert, &key.PublicKey, by.key)
	if err != nil {
		return tls.Certificate{}, err
	}
	leaf, err := x509.ParseCertificate(der)
	if err != nil {
		return tls.Certificate{}, err
	}
	// Where it cannot be kept it serves all the same, and another one is made at the next start.
	_ = writePair(certFile, keyFile, der, key)
	return by.chain(tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key, Leaf: leaf}), nil
}

// chain sends the authority's certificate along, for agents that know it by its fingerprint.
func (p pair) chain(c tls.Certificate) tls.Certificate {
	c.Certificate = append(slices.Clone(c.Certificate), p.cert.Raw)
	return c
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
