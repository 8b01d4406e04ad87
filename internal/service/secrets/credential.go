package secrets

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
)

// A NewCredential is a key as it is entered.
type NewCredential struct {
	Name    string
	Kind    string
	User    string
	Secret  string
	Privacy string
	For     []string
	Expires *time.Time
	Clear   bool   // may be sent without TLS
	Try     string // a server's or device's address on which it is tried at once
}

// sealedKey is what is kept of a key's secrets, before it is sealed.
type sealedKey struct {
	Secret  string `json:"secret"`
	Privacy string `json:"privacy,omitempty"`
}

// seal encrypts with AES-256-GCM; the credential's name is bound to it, so that rows cannot be swapped.
func (s *Room) seal(name string, k sealedKey) ([]byte, error) {
	ring := s.sealing.Load().ring
	if len(ring) == 0 {
		return nil, errNoKey
	}
	b, err := json.Marshal(k)
	if err != nil {
		return nil, err
	}
	return ring[0].seal(name, b)
}

func (s *Room) unseal(name string, b []byte) (k sealedKey, err error) {
	ring := s.sealing.Load().ring
	if len(ring) == 0 {
		return k, errNoKey
	}
	i, plain := ring.open(name, b)
	if i < 0 {
		return k, fault.New(fault.Unavailable, "sealed-otherwise", "put the file secret-key back beside the data, or enter "+
			"the key anew", "the key %s was sealed with another secret-key than the one beside the data", name)
	}
	return k, json.Unmarshal(plain, &k)
}

var errNoKey = fault.New(fault.Unavailable, "no-secret-key", "start the service with its data directory",
	"there is no key to seal secrets with")

func (k Key) aead() (cipher.AEAD, error) {
	block, err := aes.NewCipher(k.Secret)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCM(block)
}

func (k Key) seal(name string, plain []byte) ([]byte, error) {
	aead, err := k.aead()
	if err != nil {
		return nil, err
	}
	nonce := make([]byte, aead.NonceSize())
	_, _ = rand.Read(nonce) // it never fails
	return aead.Seal(nonce, nonce, plain, []byte(name)), nil
}

// open gives which of the keys opens something, by its place; -1 where none does.
func (r Ring) open(name string, b []byte) (int, []byte) {
	for i, k := range r {
		aead, err := k.aead()
		if err != nil || len(b) < aead.NonceSize() {
			continue
		}
		if plain, err := aead.Open(nil, b[:aead.NonceSize()], b[aead.NonceSize():], []byte(name)); err == nil {
			return i, plain
		}
	}
	return -1, nil
}

// KeysFor opens the keys that go to a server, device, mail server or hook: those that are for it, at the address that
// it had when they were entered.
func (s *Room) KeysFor(w stock.Watch) []stock.Key {
	st := s.present.Stock()
	var out []stock.Key
	for _, c := range st.Credentials {
		if !c.GoesTo(w) {
			continue
		}
		k, err := s.unseal(c.Name, st.Sealed[c.Name])
		if err != nil {
			s.log.Warn("a stored key cannot be opened", "credential", c.Name, "error", err)
			continue
		}
		out = append(out, stock.Key{Name: c.Name, Kind: c.Kind, User: c.User, Secret: k.Secret, Privacy: k.Privacy,
			Clear: c.Clear})
	}
	return out
}

// NoteKeys keeps what came of using keys.
func (s *Room) NoteKeys(ctx context.Context, keys []stock.Key) {
	for _, k := range keys {
		if k.Outcome == "" {
			continue
		}
		e := event.Event{Kind: event.KeyWorks, Subject: k.Name, Author: "stock-taking"}.Saying(
			"The key {name} works again", "name", k.Name)
		says := "it was taken when it was last used"
		if k.Outcome == "refused" {
			e.Kind = event.KeyRefused
			e = e.Saying("The key {name} is refused", "name", k.Name)
			says = "it was refused when it was last used; enter it anew"
		}
		if err := s.store.NoteCredential(ctx, k.Name, k.Outcome, says, e); err != nil && ctx.Err() == nil {
			s.log.Warn("the use of a key could not be noted", "credential", k.Name, "error", err)
		}
	}
}

// Credentials lists stored keys without their secrets.
func (s *Room) Credentials(ctx context.Context, p *access.Principal) ([]stock.Credential, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	list, _, err := s.store.Credentials(ctx)
	if list == nil {
		list = []stock.Credential{}
	}
	there := s.addresses()
	for i := range list {
		sayMoved(&list[i], there)
	}
	return list, err
}

// StoreCredential keeps a key. Where it names somewhere to try it, it is refused unless it works there.
func (s *Room) StoreCredential(ctx context.Context, p *access.Principal, n NewCredential) (stock.Credential, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return stock.Credential{}, err
	}
	c := stock.Credential{Name: n.Name, Kind: n.Kind, User: n.User, Expires: n.Expires, Author: p.Name,
		At: s.now().UTC(), State: "unproven", Says: "it has not been used yet", Clear: n.Clear}
	if err := checkCredential(n); err != nil {
		return c, err
	}
	var err error
	if c.For, c.Bound, err = s.meant(n); err != nil {
		return c, err
	}
	try := n.Try
	if try == "" { // what it is for, or what names it
		for _, kind := range []string{stock.KindServer, stock.KindDevice} {
			for _, l := range s.present.Watched(kind) {
				if try == "" && (c.GoesTo(l.Watch) || l.Named() == n.Name) {
					try = l.URI
				}
			}
		}
	}
	if try != "" && s.cfg.Prober != nil {
		if err := s.tryKey(ctx, n, try, &c); err != nil {
			return c, err
		}
	}
	sealed, err := s.seal(n.Name, sealedKey{n.Secret, n.Privacy})
	if err != nil {
		return c, err
	}
	if err := s.store.SaveCredential(ctx, c, sealed, event.Event{Kind: event.KeyStored, Subject: c.Name,
		Author: p.Name}.Saying(
		"The key {name} was stored", "name", c.Name).With(nil, c)); err != nil {
		return c, err
	}
	s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "credentials"})
	return c, nil
}

// tryKey uses a key once. What does not need it proves nothing, nor does silence.
func (s *Room) tryKey(ctx context.Context, n NewCredential, try string, c *stock.Credential) error {
	if !strings.Contains(try, "://") {
		try = "ipp://" + try + "/"
	}
	keys := []stock.Key{{Name: n.Name, Kind: n.Kind, User: n.User, Secret: n.Secret, Privacy: n.Privacy,
		Clear: n.Clear}}
	var err error
	if n.Kind == stock.SignIn {
		_, err = s.cfg.Prober.ReadServer(ctx, try, &keys[0], nil)
	} else {
		_, err = s.cfg.Prober.ReadDevice(ctx, try, keys)
	}
	now := s.now().UTC()
	switch host := stock.Host(try); {
	case keys[0].Outcome == "refused":
		return fault.New(fault.Invalid, "credential-refused", "check the name and the secret", "%s refuses the key", host)
	case keys[0].Outcome == "works":
		c.State, c.Says, c.Checked = "works", "it was taken by "+host+" when it was entered", &now
	case err != nil:
		c.Says = fmt.Sprintf("it could not be tried when it was entered: %s", fault.As(err).What)
	case n.Kind == stock.SignIn:
		c.Says = host + " answers without a sign-in, so this one is not proven"
	default:
		c.Says = host + " did not answer to it over SNMP: the key may be wrong, or SNMP off; devices do not say which"
	}
	return nil
}

func checkCredential(n NewCredential) error {
	invalid := func(code, fix, format string, args ...any) error {
		return fault.New(fault.Invalid, code, fix, format, args...)
	}
	switch {
	case !estate.ValidName(n.Name):
		return invalid("name-invalid", "write small letters, digits, dots and dashes", "%q is no name", n.Name)
	case !slices.Contains([]string{stock.SignIn, stock.SNMP, stock.SNMP3}, n.Kind):
		return invalid("credential-kind", "write sign-in, snmp or snmp-usm", "%q is no kind of key", n.Kind)
	case n.Secret == "":
		return invalid("secret-missing", "enter the password or key", "there is no secret")
	case n.Kind != stock.SNMP && n.User == "":
		return invalid("user-missing", "say whose it is", "a key of the kind %s has a user", n.Kind)
	case n.Kind == stock.SNMP3 && (len(n.Secret) < 8 || n.Privacy != "" && len(n.Privacy) < 8):
		return invalid("secret-short", "enter at least eight letters (RFC 3414, section 11.2)",
			"the secret is too short for SNMP")
	}
	return nil
}

// RemoveCredential forgets a key.
func (s *Room) RemoveCredential(ctx context.Context, p *access.Principal, name string) error {
	if err := access.Check(p, access.KeepStock); err != nil {
		return err
	}
	if err := s.store.RemoveCredential(ctx, name, event.Event{Kind: event.KeyRemoved, Subject: name,
		Author: p.Name}.Saying(
		"The key {name} was removed", "name", name)); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "credentials"})
	return nil
}
