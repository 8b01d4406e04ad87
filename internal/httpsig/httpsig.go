// Package httpsig signs HTTP requests and tells whether a signature holds (RFC 9421 with Ed25519, section 3.3.6), over
// the method, the address, the type and the digest of the content (RFC 9530). It opens no sockets and reads no
// requests: values in, fields out.
package httpsig

import (
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

// A Request is what is signed of one.
type Request struct {
	Method, Target, ContentType string // Target is the whole address, such as https://hook.example/cirque?x=1
	Body                        []byte
}

// Fields are those that a signature adds to a request.
type Fields struct {
	ContentDigest, SignatureInput, Signature string
}

const (
	label      = "cirque"
	components = `("@method" "@target-uri" "content-type" "content-digest")`
)

// KeyID names a public key, short enough for a log.
func KeyID(key ed25519.PublicKey) string {
	sum := sha256.Sum256(key)
	return hex.EncodeToString(sum[:8])
}

// digest is the content's digest as a field (RFC 9530, section 2).
func digest(body []byte) string {
	sum := sha256.Sum256(body)
	return "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
}

// base is what is signed (RFC 9421, section 2.5).
func base(r Request, digest, params string) []byte {
	return []byte(fmt.Sprintf("\"@method\": %s\n\"@target-uri\": %s\n\"content-type\": %s\n\"content-digest\": %s\n"+
		"\"@signature-params\": %s", r.Method, r.Target, r.ContentType, digest, params))
}

// Sign gives the fields that sign a request, made at a time in seconds of the epoch.
func Sign(r Request, created int64, key ed25519.PrivateKey) Fields {
	params := fmt.Sprintf("%s;created=%d;keyid=%q;alg=\"ed25519\"", components, created,
		KeyID(key.Public().(ed25519.PublicKey)))
	f := Fields{ContentDigest: digest(r.Body), SignatureInput: label + "=" + params}
	f.Signature = label + "=:" + base64.StdEncoding.EncodeToString(ed25519.Sign(key, base(r, f.ContentDigest,
		params))) + ":"
	return f
}

var (
	input = regexp.MustCompile(`^cirque=(\("@method" "@target-uri" "content-type" "content-digest"\);created=(\d{1,12});` +
		`keyid="([0-9a-f]{1,64})";alg="ed25519")$`)
	signature = regexp.MustCompile(`^cirque=:([A-Za-z0-9+/=]{1,200}):$`)
)

// What is wrong with a signature.
var (
	ErrMalformed = errors.New("the request is not signed as Cirque signs")
	ErrDigest    = errors.New("the content is not the one that was signed")
	ErrKey       = errors.New("it is signed with a key that is not known here")
	ErrForged    = errors.New("the signature does not hold")
)

// Verify says whether a request's fields were made with one of the keys, and when, in seconds of the epoch. The caller
// decides how old a request may be.
func Verify(r Request, f Fields, keys ...ed25519.PublicKey) (created int64, err error) {
	in, sig := input.FindStringSubmatch(f.SignatureInput), signature.FindStringSubmatch(f.Signature)
	if in == nil || sig == nil {
		return 0, ErrMalformed
	}
	if f.ContentDigest != digest(r.Body) {
		return 0, ErrDigest
	}
	raw, err := base64.StdEncoding.DecodeString(sig[1])
	if err != nil {
		return 0, ErrMalformed
	}
	for _, key := range keys {
		if len(key) != ed25519.PublicKeySize || KeyID(key) != in[3] {
			continue
		}
		if strings.ContainsAny(r.Method+r.Target+r.ContentType, "\r\n") ||
			!ed25519.Verify(key, base(r, f.ContentDigest, in[1]), raw) {
			return 0, ErrForged
		}
		return strconv.ParseInt(in[2], 10, 64)
	}
	return 0, ErrKey
}
