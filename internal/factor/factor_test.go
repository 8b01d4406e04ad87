package factor

import (
	"encoding/base32"
	"encoding/json"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/descope/virtualwebauthn"

	"cirque/core/fault"
)

// TestCheckCode: the codes of RFC 6238, appendix B (their last six digits), are taken at their time, a period before
// and after it, and at no other.
func TestCheckCode(t *testing.T) {
	t.Parallel()
	secret := base32.StdEncoding.EncodeToString([]byte("12345678901234567890"))
	for at, code := range map[int64]string{59: "287082", 1111111109: "081804", 1111111111: "050471",
		1234567890: "005924", 2000000000: "279037", 20000000000: "353130"} {
		step, ok := CheckCode(secret, code, time.Unix(at, 0))
		if !ok || step != at/30 {
			t.Errorf("%s at %d: %d %v", code, at, step, ok)
		}
		if same, ok := CheckCode(secret, " "+code[:3]+" "+code[3:], time.Unix(at+30, 0)); !ok || same != step {
			t.Errorf("%s a period later: %d %v", code, same, ok)
		}
		for _, off := range []int64{-90, 90} {
			if _, ok := CheckCode(secret, code, time.Unix(at+off, 0)); ok {
				t.Errorf("%s is taken %d s off", code, off)
			}
		}
	}
	for _, bad := range []string{"", "28708", "2870822", "28708x", "abcdef"} {
		if _, ok := CheckCode(secret, bad, time.Unix(59, 0)); ok {
			t.Errorf("%q is taken", bad)
		}
	}
}

func TestNewCodeKey(t *testing.T) {
	t.Parallel()
	key, err := NewCodeKey("Cirque at cirque.example", "mira")
	if err != nil || len(key.Secret) != 32 || !strings.HasPrefix(key.URI,
		"otpauth://totp/Cirque%20at%20cirque.example:mira?") ||
		!strings.Contains(key.URI, "secret="+key.Secret) || !strings.HasPrefix(key.Picture, "data:image/png;base64,") {
		t.Errorf("%+v %v", key, err)
	}
}

func TestRecoveryCodes(t *testing.T) {
	t.Parallel()
	codes, hashes := NewRecoveryCodes()
	if len(codes) != RecoveryCodes || len(slices.Compact(slices.Sorted(slices.Values(codes)))) != RecoveryCodes {
		t.Fatal(codes)
	}
	for i, c := range codes {
		if string(HashRecovery(" "+strings.ToUpper(strings.ReplaceAll(c, "-", " "))+"\n")) != string(hashes[i]) {
			t.Errorf("%s is another one when it is written in another way", c)
		}
	}
}

func TestWhereThereAreNoPasskeys(t *testing.T) {
	t.Parallel()
	for public, want := range map[string]string{
		"https://192.0.2.1:8631": "192.0.2.1", "https://[2001:db8::1]": "2001:db8::1", "http://cirque.example": "https",
		"": "--public-url", "https://cirque.example:8631": "", "http://localhost:8631": "", "https://Cirque.Example": "",
	} {
		off := NewPasskeys(public).Off()
		if off == "" != (want == "") || !strings.Contains(off, want) {
			t.Errorf("%s: %q", public, off)
		}
	}
	if _, _, err := NewPasskeys("https://192.0.2.1").Begin("mira", time.Now(), nil); !fault.Is(err, fault.Conflict) {
		t.Error(err)
	}
}

// device is a browser with an authenticator, at an address.
type device struct {
	t    *testing.T
	rp   virtualwebauthn.RelyingParty
	auth virtualwebauthn.Authenticator
	key  virtualwebauthn.Credential
}

func (d *device) makes(options json.RawMessage) []byte {
	d.t.Helper()
	asked, err := virtualwebauthn.ParseAttestationOptions(`{"publicKey":` + string(options) + `}`)
	if err != nil {
		d.t.Fatal(err)
	}
	d.auth.Options.UserHandle = []byte(asked.UserID)
	return []byte(virtualwebauthn.CreateAttestationResponse(d.rp, d.auth, d.key, *asked))
}

func (d *device) shows(options json.RawMessage) []byte {
	d.t.Helper()
	asked, err := virtualwebauthn.ParseAssertionOptions(`{"publicKey":` + string(options) + `}`)
	if err != nil {
		d.t.Fatal(err)
	}
	return []byte(virtualwebauthn.CreateAssertionResponse(d.rp, d.auth, d.key, *asked))
}

func deviceAt(t *testing.T, host, origin string) *device {
	return &device{t, virtualwebauthn.RelyingParty{Name: "Cirque", ID: host, Origin: origin},
		virtualwebauthn.NewAuthenticator(), virtualwebauthn.NewCredential(virtualwebauthn.KeyTypeEC2)}
}

// TestPasskey: a passkey is made and shown; it holds for its account, its address and its challenge alone, and a copy
// whose counter went back is refused.
func TestPasskey(t *testing.T) {
	t.Parallel()
	k := NewPasskeys("https://cirque.example:8631")
	made := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	d := deviceAt(t, "cirque.example", "https://cirque.example:8631")
	options, session, err := k.Begin("mira", made, nil)
	if err != nil {
		t.Fatal(err)
	}
	kept, err := k.Finish("mira", made, session, d.makes(options))
	if err != nil {
		t.Fatal(err)
	}
	d.auth.AddCredential(d.key)
	ask := func() (json.RawMessage, json.RawMessage) {
		t.Helper()
		o, s, err := k.Ask("mira", made, [][]byte{kept})
		if err != nil {
			t.Fatal(err)
		}
		return o, s
	}
	d.key.Counter = 7
	options, session = ask()
	at, next, err := k.Check("mira", made, [][]byte{kept}, session, d.shows(options))
	if err != nil || at != 0 || string(next) == string(kept) {
		t.Fatal(at, err)
	}
	refused := func(what string, err error) {
		t.Helper()
		if want := map[bool]string{true: "passkey-copied", false: "passkey-wrong"}[what == "a copy"]; err == nil ||
			fault.As(err).Code != want {
			t.Errorf("%s: %v", what, err)
		}
	}
	d.key.Counter = 8
	answer := d.shows(options)
	_, other := ask()
	_, _, err = k.Check("mira", made, [][]byte{next}, other, answer)
	refused("an answer to another challenge", err)
	_, _, err = k.Check("mira", made.Add(time.Second), [][]byte{next}, session, answer)
	refused("an account that was made again", err)
	d.key.Counter = 3
	_, _, err = k.Check("mira", made, [][]byte{next}, session, d.shows(options))
	refused("a copy", err)
	d.key.Counter = 9
	elsewhere := *d
	elsewhere.rp.Origin = "https://cirque.example.invalid"
	_, _, err = k.Check("mira", made, [][]byte{next}, session, elsewhere.shows(options))
	refused("another site", err)
	options, session, err = k.Begin("mira", made, [][]byte{next})
	if err != nil || !strings.Contains(string(options), "excludeCredentials") {
		t.Error("a device is asked for a second passkey", err)
	}
	_, err = k.Finish("mira", made, session, elsewhere.makes(options))
	refused("made at another site", err)
	for _, bad := range []string{"", "{}", `{"id":"x","type":"public-key"}`, "[1]", strings.Repeat("[", 10000)} {
		_, err := k.Finish("mira", made, session, []byte(bad))
		refused("made of "+bad[:min(len(bad), 10)], err)
		_, _, err = k.Check("mira", made, [][]byte{next}, session, []byte(bad))
		refused("shown as "+bad[:min(len(bad), 10)], err)
	}
}
