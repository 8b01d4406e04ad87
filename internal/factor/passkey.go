package factor

import (
	"crypto/sha256"
	"encoding/json"
	"net/netip"
	"net/url"
	"strings"
	"time"

	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"

	"cirque/core/fault"
)

// Passkeys makes and checks passkeys for one name of a service.
type Passkeys struct {
	web *webauthn.WebAuthn
	off string // why there are none; empty where there are
}

// NewPasskeys makes passkeys for the public address of a service. At an address without a name there are none: a
// passkey belongs to a domain (Web Authentication, level 2, section 5.1.2), and browsers show theirs over TLS, or at
// localhost, alone.
func NewPasskeys(public string) *Passkeys {
	u, err := url.Parse(public)
	if err != nil || u.Hostname() == "" {
		return &Passkeys{off: "the service has no public address: start it with --public-url"}
	}
	host := strings.ToLower(u.Hostname())
	if _, err := netip.ParseAddr(host); err == nil {
		return &Passkeys{off: "passkeys belong to a name, and the service is known as " + host + ": give it one with " +
			"--public-url"}
	}
	if u.Scheme != "https" && host != "localhost" {
		return &Passkeys{off: "passkeys need https, and the service is known as " + u.Scheme + "://" + u.Host}
	}
	web, err := webauthn.New(&webauthn.Config{RPID: host, RPDisplayName: "Cirque",
		RPOrigins: []string{strings.ToLower(u.Scheme + "://" + u.Host)}})
	if err != nil {
		return &Passkeys{off: "the public address cannot have passkeys: " + err.Error()}
	}
	return &Passkeys{web: web}
}

// Off says why there are no passkeys; "" where there are.
func (k *Passkeys) Off() string { return k.off }

// Host is the name to which passkeys belong.
func (k *Passkeys) Host() string {
	if k.web == nil {
		return ""
	}
	return k.web.Config.RPID
}

// owner is an account as the library wants it.
type owner struct {
	name    string
	created time.Time
	keys    []webauthn.Credential
}

// WebAuthnID is the same for as long as the account lives, and says nothing of it.
func (o owner) WebAuthnID() []byte {
	sum := sha256.Sum256([]byte("cirque account " + o.name + " " + o.created.UTC().Format(time.RFC3339Nano)))
	return sum[:]
}
func (o owner) WebAuthnName() string                       { return o.name }
func (o owner) WebAuthnDisplayName() string                { return o.name }
func (o owner) WebAuthnCredentials() []webauthn.Credential { return o.keys }

// keysOf reads passkeys as they were kept.
func keysOf(kept [][]byte) (out []webauthn.Credential, err error) {
	for _, b := range kept {
		var c webauthn.Credential
		if err := json.Unmarshal(b, &c); err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

// Begin asks a browser to make a passkey for an account that has those already. options are
// PublicKeyCredentialCreationOptions in JSON; session is to be given to Finish.
func (k *Passkeys) Begin(account string, created time.Time, kept [][]byte) (options, session json.RawMessage,
	err error) {
	if k.web == nil {
		return nil, nil, k.none()
	}
	keys, err := keysOf(kept)
	if err != nil {
		return nil, nil, err
	}
	made, data, err := k.web.BeginRegistration(owner{account, created, keys},
		webauthn.WithExclusions(webauthn.Credentials(keys).CredentialDescriptors()),
		webauthn.WithResidentKeyRequirement(protocol.ResidentKeyRequirementPreferred))
	if err != nil {
		return nil, nil, err
	}
	return both(made.Response, data)
}

// Finish gives what is to be kept of a passkey that a browser has made.
func (k *Passkeys) Finish(account string, created time.Time, session, answer []byte) ([]byte, error) {
	if k.web == nil {
		return nil, k.none()
	}
	var data webauthn.SessionData
	if err := json.Unmarshal(session, &data); err != nil {
		return nil, err
	}
	parsed, err := protocol.ParseCredentialCreationResponseBytes(answer)
	if err != nil {
		return nil, wrong(err)
	}
	key, err := k.web.CreateCredential(owner{account, created, nil}, data, parsed)
	if err != nil {
		return nil, wrong(err)
	}
	return json.Marshal(key)
}

// Ask asks a browser to show one of an account's passkeys. options are PublicKeyCredentialRequestOptions in JSON.
func (k *Passkeys) Ask(account string, created time.Time, kept [][]byte) (options, session json.RawMessage, err error) {
	if k.web == nil {
		return nil, nil, k.none()
	}
	keys, err := keysOf(kept)
	if err != nil {
		return nil, nil, err
	}
	asked, data, err := k.web.BeginLogin(owner{account, created, keys})
	if err != nil {
		return nil, nil, err
	}
	return both(asked.Response, data)
}

// Check says which of an account's passkeys was shown, by its place in kept, and gives what is to be kept of it from
// now on.
func (k *Passkeys) Check(account string, created time.Time, kept [][]byte, session, answer []byte) (int, []byte,
	error) {
	if k.web == nil {
		return 0, nil, k.none()
	}
	keys, err := keysOf(kept)
	if err != nil {
		return 0, nil, err
	}
	var data webauthn.SessionData
	if err := json.Unmarshal(session, &data); err != nil {
		return 0, nil, err
	}
	parsed, err := protocol.ParseCredentialRequestResponseBytes(answer)
	if err != nil {
		return 0, nil, wrong(err)
	}
	shown, err := k.web.ValidateLogin(owner{account, created, keys}, data, parsed)
	if err != nil {
		return 0, nil, wrong(err)
	}
	for i, c := range keys {
		if string(c.ID) != string(shown.ID) {
			continue
		}
		if shown.Authenticator.CloneWarning { // its counter went back (section 6.1.1)
			return 0, nil, fault.New(fault.Denied, "passkey-copied", "remove it, and make another", "this passkey may have "+
				"been copied: its counter went back")
		}
		b, err := json.Marshal(shown)
		return i, b, err
	}
	return 0, nil, wrong(nil)
}

func both(options any, session *webauthn.SessionData) (json.RawMessage, json.RawMessage, error) {
	o, err := json.Marshal(options)
	if err != nil {
		return nil, nil, err
	}
	s, err := json.Marshal(session)
	return o, s, err
}

func (k *Passkeys) none() error {
	return fault.New(fault.Conflict, "passkeys-off", "use one-time codes", "there are no passkeys here: %s", k.off)
}

// wrong is an answer of a browser that does not hold; why goes to the log alone.
func wrong(err error) error {
	return fault.New(fault.Denied, "passkey-wrong", "try again with a passkey of this account, at the address that "+
		"it was "+
		"made at", "the passkey does not hold").Because(err)
}
