package httpsig_test

import (
	"crypto/ed25519"
	"encoding/base64"
	"errors"
	"strings"
	"testing"

	"cirque/internal/httpsig"
)

func keyOf(seed byte) ed25519.PrivateKey {
	return ed25519.NewKeyFromSeed([]byte(strings.Repeat(string(seed), ed25519.SeedSize)))
}

var sent = httpsig.Request{Method: "POST", Target: "https://hook.skerry.example/cirque?a=1",
	ContentType: "application/json", Body: []byte(`{"hello": "world"}`)}

// TestSign: what is signed holds, and nothing else does.
func TestSign(t *testing.T) {
	t.Parallel()
	key, other := keyOf('a'), keyOf('b')
	public := key.Public().(ed25519.PublicKey)
	f := httpsig.Sign(sent, 1764460800, key)
	// RFC 9530, appendix B.1: the digest of this content.
	if f.ContentDigest != "sha-256=:X48E9qOokqqrvdts8nOJRJN3OWDUoyWxBf7kbu9DBPE=:" {
		t.Error(f.ContentDigest)
	}
	if at, err := httpsig.Verify(sent, f, other.Public().(ed25519.PublicKey), public); err != nil || at != 1764460800 {
		t.Error(at, err)
	}
	for what, c := range map[string]struct {
		change func(r *httpsig.Request, f *httpsig.Fields)
		want   error
	}{
		"method":  {func(r *httpsig.Request, _ *httpsig.Fields) { r.Method = "PUT" }, httpsig.ErrForged},
		"target":  {func(r *httpsig.Request, _ *httpsig.Fields) { r.Target += "2" }, httpsig.ErrForged},
		"type":    {func(r *httpsig.Request, _ *httpsig.Fields) { r.ContentType = "text/plain" }, httpsig.ErrForged},
		"a line":  {func(r *httpsig.Request, _ *httpsig.Fields) { r.Method = "POST\n\"x\": y" }, httpsig.ErrForged},
		"content": {func(r *httpsig.Request, _ *httpsig.Fields) { r.Body = []byte("{}") }, httpsig.ErrDigest},
		"time": {func(_ *httpsig.Request, f *httpsig.Fields) {
			f.SignatureInput = strings.Replace(f.SignatureInput, "1764460800", "1764460801", 1)
		}, httpsig.ErrForged},
		"other components": {func(_ *httpsig.Request, f *httpsig.Fields) {
			f.SignatureInput = strings.Replace(f.SignatureInput, ` "content-digest"`, "", 1)
		}, httpsig.ErrMalformed},
		"no signature": {func(_ *httpsig.Request, f *httpsig.Fields) { f.Signature = "" }, httpsig.ErrMalformed},
		"another's": {func(r *httpsig.Request, f *httpsig.Fields) {
			*f = httpsig.Sign(*r, 1764460800, other)
		}, httpsig.ErrKey},
		"cut": {func(_ *httpsig.Request, f *httpsig.Fields) { f.Signature = f.Signature[:20] + ":" }, httpsig.ErrForged},
	} {
		r, g := sent, f
		c.change(&r, &g)
		if _, err := httpsig.Verify(r, g, public); !errors.Is(err, c.want) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// TestBase holds what is signed against the example of the standard, put together by hand (RFC 9421, section 2.5).
func TestBase(t *testing.T) {
	t.Parallel()
	key := keyOf('a')
	f := httpsig.Sign(sent, 1764460800, key)
	base := "\"@method\": POST\n\"@target-uri\": https://hook.skerry.example/cirque?a=1\n\"content-type\": application/json\n" +
		"\"content-digest\": sha-256=:X48E9qOokqqrvdts8nOJRJN3OWDUoyWxBf7kbu9DBPE=:\n\"@signature-params\": " +
		strings.TrimPrefix(f.SignatureInput, "cirque=")
	raw, err := base64.StdEncoding.DecodeString(strings.TrimSuffix(strings.TrimPrefix(f.Signature, "cirque=:"), ":"))
	if err != nil || !ed25519.Verify(key.Public().(ed25519.PublicKey), []byte(base), raw) {
		t.Errorf("%s %v", f.Signature, err)
	}
}

// FuzzVerify: nothing that was not signed holds, whatever the fields are.
func FuzzVerify(f *testing.F) {
	key := keyOf('a')
	good := httpsig.Sign(sent, 1, key)
	f.Add(good.ContentDigest, good.SignatureInput, good.Signature)
	f.Add("", "cirque=()", "cirque=::")
	f.Fuzz(func(t *testing.T, digest, input, signature string) {
		fields := httpsig.Fields{ContentDigest: digest, SignatureInput: input, Signature: signature}
		if _, err := httpsig.Verify(sent, fields, key.Public().(ed25519.PublicKey)); err == nil && fields != good {
			raw, _ := base64.StdEncoding.DecodeString(strings.Trim(strings.TrimPrefix(signature, "cirque="), ":"))
			if string(raw) == "" || input != good.SignatureInput {
				t.Fatalf("%q %q %q holds", digest, input, signature)
			}
		}
	})
}
