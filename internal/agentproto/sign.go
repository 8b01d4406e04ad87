package agentproto

import (
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"strings"
)

// Headers of signed answers. An agent sends a nonce of its own with each question; the answer's signature (Ed25519, RFC
// 8032) is over the nonce, the question's body, the tag and the answer's body, so that nobody between can alter
// question or answer, or give an old one again.
const (
	NonceHeader     = "Cirque-Nonce"
	SignatureHeader = "Cirque-Signature"
	KeyHeader       = "Cirque-Key" // the public key, for an agent that knows none yet
	// HandoverHeader says, for each former key, that this one came after it: HandOver's texts with commas between.
	HandoverHeader = "Cirque-Key-Handover"
	MaxNonce       = 64
)

// signed is what is signed.
func signed(nonce string, asked []byte, tag string, body []byte) []byte {
	question, answer := sha256.Sum256(asked), sha256.Sum256(body)
	return fmt.Appendf(nil, "cirque answer 1\n%d %s\n%s\n%d %s\n%s\n", len(nonce), nonce, hex.EncodeToString(question[:]),
		len(tag), tag, hex.EncodeToString(answer[:]))
}

// Sign writes the header for an answer.
func Sign(key ed25519.PrivateKey, nonce string, asked []byte, tag string, body []byte) string {
	return base64.StdEncoding.EncodeToString(ed25519.Sign(key, signed(nonce, asked, tag, body)))
}

// Verify says whether a header is the signature of an answer.
func Verify(key ed25519.PublicKey, header, nonce string, asked []byte, tag string, body []byte) bool {
	sig, err := base64.StdEncoding.DecodeString(header)
	return err == nil && len(key) == ed25519.PublicKeySize && ed25519.Verify(key, signed(nonce, asked, tag, body), sig)
}

// WriteKey and ReadKey carry a public key as text.
func WriteKey(key ed25519.PublicKey) string { return base64.StdEncoding.EncodeToString(key) }

// ReadKey gives nil where the text is no key.
func ReadKey(text string) ed25519.PublicKey {
	b, err := base64.StdEncoding.DecodeString(text)
	if err != nil || len(b) != ed25519.PublicKeySize {
		return nil
	}
	return b
}

// handed is what a former key signs of the one that comes after it.
func handed(next ed25519.PublicKey) []byte {
	return append([]byte("key of answers 1 of Cirque\n"), next...)
}

// HandOver says by a former key which one came after it.
func HandOver(former ed25519.PrivateKey, next ed25519.PublicKey) string {
	return base64.StdEncoding.EncodeToString(ed25519.Sign(former, handed(next)))
}

// maxHandovers is how many are looked at.
const maxHandovers = 16

// HandedOver says whether a HandoverHeader says by a known key that another came after it.
func HandedOver(known, next ed25519.PublicKey, header string) bool {
	if len(known) != ed25519.PublicKeySize || len(next) != ed25519.PublicKeySize {
		return false
	}
	for i, text := range strings.Split(header, ",") {
		sig, err := base64.StdEncoding.DecodeString(strings.TrimSpace(text))
		if err == nil && i < maxHandovers && ed25519.Verify(known, handed(next), sig) {
			return true
		}
	}
	return false
}
