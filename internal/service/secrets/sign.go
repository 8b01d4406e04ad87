package secrets

import (
	"crypto/ed25519"
	"crypto/hkdf"
	"crypto/sha256"

	"cirque/core/access"
)

// answerKey derives the key with which answers to agents are signed: every process that has the secret beside the data
// has the same. It is nil where there is no secret.
func answerKey(secret []byte) ed25519.PrivateKey {
	if len(secret) == 0 {
		return nil
	}
	seed, err := hkdf.Key(sha256.New, secret, nil, "cirque answers to agents", ed25519.SeedSize)
	if err != nil {
		return nil // only where FIPS mode forbids so short a secret, and it is 32 octets
	}
	return ed25519.NewKeyFromSeed(seed)
}

// noticeKey derives the key with which posted notices are signed, likewise.
func noticeKey(secret []byte) ed25519.PrivateKey {
	if len(secret) == 0 {
		return nil
	}
	seed, err := hkdf.Key(sha256.New, secret, nil, "posted notices of cirque", ed25519.SeedSize)
	if err != nil {
		return nil // as above
	}
	return ed25519.NewKeyFromSeed(seed)
}

// KeyIDs names the keys that this service goes by just now.
func (s *Room) KeyIDs() []string { return s.sealing.Load().ring.IDs() }

// NoticeKey gives the key with which posted notices are signed; nil where this service signs none.
func (s *Room) NoticeKey() ed25519.PrivateKey { return s.sealing.Load().notices }

// NoticeKeys gives the public keys by which posted notices are known: the present one, the next where one is prepared,
// and former ones, so that whoever takes notices in can know all of them beforehand.
func (s *Room) NoticeKeys(p *access.Principal) ([]ed25519.PublicKey, error) {
	if err := access.Check(p, access.ReadFleet); err != nil {
		return nil, err
	}
	return s.sealing.Load().noticePublic, nil
}

// AnswerKey gives the key with which answers to agents are signed; nil where this service signs none.
func (s *Room) AnswerKey() ed25519.PrivateKey { return s.sealing.Load().answers }

// HandOver gives the header by which agents that know a former key of answers learn this one; "" where there is none.
func (s *Room) HandOver() string { return s.sealing.Load().handover }
