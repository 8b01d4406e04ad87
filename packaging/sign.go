package main

import (
	"bytes"
	"crypto"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/ProtonMail/go-crypto/openpgp"
	"github.com/ProtonMail/go-crypto/openpgp/armor"
	"github.com/ProtonMail/go-crypto/openpgp/packet"
)

// A key signs packages.
type key struct {
	entity *openpgp.Entity
	config *packet.Config
}

// openKey reads a key, or makes one where there is none: then whoever installs is to be given its public part, which
// lies beside the packages.
func openKey(file string, at time.Time) (*key, error) {
	config := &packet.Config{DefaultHash: crypto.SHA256, Algorithm: packet.PubKeyAlgoRSA, RSABits: 3072}
	b, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		if b, err = makeKey(file, config); err == nil {
			fmt.Fprintf(os.Stderr, "packaging: a key was made for signing, %s: keep it, or name your own\n", file)
		}
	}
	if err != nil {
		return nil, err
	}
	list, err := openpgp.ReadArmoredKeyRing(bytes.NewReader(b))
	if err != nil || len(list) != 1 || list[0].PrivateKey == nil {
		return nil, fmt.Errorf("%s holds no key to sign with: %w", file, err)
	}
	// A signature says when it was made, no earlier than the key; else it would differ each time.
	if made := list[0].PrimaryKey.CreationTime; at.Before(made) {
		at = made
	}
	return &key{list[0], &packet.Config{DefaultHash: crypto.SHA256, Time: func() time.Time { return at },
		NonDeterministicSignaturesViaNotation: packet.BoolPointer(false)}}, nil
}

func makeKey(file string, config *packet.Config) ([]byte, error) {
	e, err := openpgp.NewEntity("Cirque packages", "", "packages@cirque.example", config)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	w, err := armor.Encode(&out, openpgp.PrivateKeyType, nil)
	if err != nil {
		return nil, err
	}
	if err := errors.Join(e.SerializePrivate(w, nil), w.Close()); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return nil, err
	}
	return out.Bytes(), os.WriteFile(file, out.Bytes(), 0o600)
}

// sign gives a detached signature.
func (k *key) sign(data io.Reader) ([]byte, error) {
	var out bytes.Buffer
	err := openpgp.DetachSign(&out, k.entity, data, k.config)
	return out.Bytes(), err
}

// public gives the key by which signatures are checked, armored.
func (k *key) public() ([]byte, error) {
	var out bytes.Buffer
	w, err := armor.Encode(&out, openpgp.PublicKeyType, nil)
	if err != nil {
		return nil, err
	}
	err = errors.Join(k.entity.Serialize(w), w.Close())
	return append(out.Bytes(), '\n'), err
}

// armored gives a detached signature as text.
func (k *key) armored(data io.Reader) ([]byte, error) {
	var out bytes.Buffer
	err := openpgp.ArmoredDetachSign(&out, k.entity, data, k.config)
	return append(out.Bytes(), '\n'), err
}
