package secrets

import (
	"crypto/ed25519"
	"crypto/hkdf"
	"crypto/sha256"
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

// AnswerKey gives the key with which answers to agents are signed; nil where this service signs none.
func (s *Room) AnswerKey() ed25519.PrivateKey { return s.sealing.Load().answers }

// HandOver gives the header by which agents that know a former key of answers learn this one; "" where there is none.
func (s *Room) HandOver() string { return s.sealing.Load().handover }
