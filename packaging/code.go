package main

import (
	"bytes"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"os"
	"path/filepath"
	"time"
)

// openCode sees to it that there is a key and a certificate with which programs for Windows are signed, as PEM in one
// file; where there is none it makes them. Machines trust it once its certificate is among those that they trust.
func openCode(file string) (string, error) {
	_, err := os.Stat(file)
	if !errors.Is(err, fs.ErrNotExist) {
		return file, err
	}
	key, err := rsa.GenerateKey(rand.Reader, 3072)
	if err != nil {
		return "", err
	}
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120))
	if err != nil {
		return "", err
	}
	from := time.Now().Add(-24 * time.Hour)
	template := &x509.Certificate{SerialNumber: serial, Subject: pkix.Name{CommonName: "Cirque packages"}, NotBefore: from,
		NotAfter: from.AddDate(10, 0, 0), KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageCodeSigning}, BasicConstraintsValid: true}
	cert, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		return "", err
	}
	der, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return "", err
	}
	var out bytes.Buffer
	for kind, b := range map[string][]byte{"CERTIFICATE": cert, "PRIVATE KEY": der} {
		if err := pem.Encode(&out, &pem.Block{Type: kind, Bytes: b}); err != nil {
			return "", err
		}
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return "", err
	}
	fmt.Fprintf(os.Stderr, "packaging: a key was made for signing programs for Windows, %s: keep it, or name your own\n", file)
	return file, os.WriteFile(file, out.Bytes(), 0o600)
}
