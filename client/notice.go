package client

import (
	"crypto/ed25519"
	"encoding/base64"
	"net/http"
	"time"

	"cirque/core/fault"
	"cirque/internal/httpsig"
)

// VerifyNotice says whether a posted notice was signed with one of the keys (cirque notice keys), within so long before
// now: whoever only looked on cannot send it later. target is the whole address as the notice names it, after post:,
// and body is what was read of the request.
func VerifyNotice(r *http.Request, target string, body []byte, within time.Duration, keys ...string) error {
	var known []ed25519.PublicKey
	for _, k := range keys {
		b, err := base64.StdEncoding.DecodeString(k)
		if err != nil || len(b) != ed25519.PublicKeySize {
			return fault.New(fault.Invalid, "notice-key", "copy it from cirque notice keys", "%q is no key of notices", k)
		}
		known = append(known, b)
	}
	created, err := httpsig.Verify(httpsig.Request{Method: r.Method, Target: target,
		ContentType: r.Header.Get("Content-Type"), Body: body}, httpsig.Fields{
		ContentDigest: r.Header.Get("Content-Digest"), SignatureInput: r.Header.Get("Signature-Input"),
		Signature: r.Header.Get("Signature")}, known...)
	if err != nil {
		return err
	}
	if age := time.Since(time.Unix(created, 0)); age > within || age < -within {
		return fault.New(fault.Denied, "notice-old", "see that the clocks agree", "the notice was signed %s ago",
			age.Round(time.Second))
	}
	return nil
}
