// Package factor makes and checks what people show besides a password: one-time codes (RFC 6238), recovery codes, and
// passkeys (Web Authentication, level 2). It keeps nothing.
package factor

import (
	"bytes"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base32"
	"encoding/base64"
	"image/png"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"
)

// period is how long a one-time code lasts (RFC 6238, section 5.2).
const period = 30

// clocks is by how many periods the clocks of a telephone and of the service may differ.
const clocks = 1

// pictureSize is that of a QR code, in pixels.
const pictureSize = 240

// A CodeKey is what one-time codes are made of, as an authenticator takes it.
type CodeKey struct {
	Secret  string // base32
	URI     string // otpauth://, with the secret
	Picture string // the URI as a QR code: a data: URI of a PNG
}

// NewCodeKey makes one for an account; issuer is what the authenticator shows above it.
func NewCodeKey(issuer, account string) (CodeKey, error) {
	key, err := totp.Generate(totp.GenerateOpts{Issuer: issuer, AccountName: account, Period: period, SecretSize: 20})
	if err != nil {
		return CodeKey{}, err
	}
	image, err := key.Image(pictureSize, pictureSize)
	if err != nil {
		return CodeKey{}, err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, image); err != nil {
		return CodeKey{}, err
	}
	return CodeKey{key.Secret(), key.URL(),
		"data:image/png;base64," + base64.StdEncoding.EncodeToString(b.Bytes())}, nil
}

// CheckCode gives the time step of a code, which is to be taken once (RFC 6238, section 5.2); ok is false for one that
// is wrong or too old.
func CheckCode(secret, code string, now time.Time) (step int64, ok bool) {
	code = strings.Join(strings.Fields(code), "")
	here := now.Unix() / period
	for at := here - clocks; at <= here+clocks; at++ {
		want, err := totp.GenerateCodeCustom(secret, time.Unix(at*period, 0), totp.ValidateOpts{Period: period,
			Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1})
		if err == nil && subtle.ConstantTimeCompare([]byte(want), []byte(code)) == 1 {
			step, ok = at, true
		}
	}
	return step, ok
}

// RecoveryCodes is how many of them are made at once.
const RecoveryCodes = 10

// letters of recovery codes: none that is taken for another (RFC 4648, section 6, has no 0, 1, 8 and 9).
var letters = base32.StdEncoding.WithPadding(base32.NoPadding)

// NewRecoveryCodes makes codes of 80 bits each, such as "abcd-efgh-ijkl-mnop", and what is kept of them.
func NewRecoveryCodes() (codes []string, hashes [][]byte) {
	for range RecoveryCodes {
		b := make([]byte, 10)
		_, _ = rand.Read(b) // it never fails
		text := strings.ToLower(letters.EncodeToString(b))
		code := strings.Join([]string{text[:4], text[4:8], text[8:12], text[12:]}, "-")
		codes, hashes = append(codes, code), append(hashes, HashRecovery(code))
	}
	return codes, hashes
}

// HashRecovery is what is kept of a recovery code, however it is written.
func HashRecovery(code string) []byte {
	plain := strings.Map(func(r rune) rune {
		if r >= 'A' && r <= 'Z' {
			return r + 'a' - 'A'
		}
		if r == '-' || r == ' ' {
			return -1
		}
		return r
	}, strings.TrimSpace(code))
	sum := sha256.Sum256([]byte(plain))
	return sum[:]
}
