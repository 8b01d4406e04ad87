package factors

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"slices"
	"time"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/name"
)

// A ticket carries what the second step of something needs to know of the first, sealed, so that the service keeps
// nothing in between and any process of it can go on.
type ticket struct {
	For     string          `json:"for"` // one of the constants below
	Account string          `json:"account"`
	Stamp   string          `json:"stamp"` // of the password that the account had
	Made    time.Time       `json:"made"`
	Name    string          `json:"name,omitempty"`    // of a factor that is being set up
	Secret  string          `json:"secret,omitempty"`  // of one-time codes that are being set up
	Session json.RawMessage `json:"session,omitempty"` // of a passkey
}

// What a ticket can be for.
const (
	forSignIn  = "sign-in"
	forProof   = "proof"
	forCode    = "code"
	forPasskey = "passkey"
)

// ticketName is under what tickets are sealed: no key of the stock can have the name.
const ticketName = "step:ticket"

// ticketLasts is how long somebody may take for the second step.
const ticketLasts = 10 * time.Minute

// stamp changes with an account's password.
func stamp(a access.Account) string {
	sum := sha256.Sum256([]byte(a.Password))
	return hex.EncodeToString(sum[:8])
}

func (s *Room) ticketOf(t ticket, a access.Account) (string, error) {
	t.Account, t.Stamp, t.Made = name.Fold(a.Name), stamp(a), s.now()
	b, err := json.Marshal(t)
	if err != nil {
		return "", err
	}
	sealed, err := s.cfg.Seals.Seal(ticketName, string(b))
	return base64.RawURLEncoding.EncodeToString(sealed), err
}

// take reads a ticket that is for one of those things, and gives its account as it is now.
func (s *Room) take(text string, what ...string) (ticket, access.Account, error) {
	var t ticket
	over := fault.New(fault.Unsigned, "ticket-over", "begin anew", "the first step was too long ago, or was another")
	sealed, err := base64.RawURLEncoding.DecodeString(text)
	if err != nil {
		return t, access.Account{}, over
	}
	plain, err := s.cfg.Seals.Open(ticketName, sealed)
	if err != nil || json.Unmarshal([]byte(plain), &t) != nil {
		return t, access.Account{}, over
	}
	a, ok := s.present.Access().Accounts[t.Account]
	age := s.now().Sub(t.Made)
	if !ok || !slices.Contains(what, t.For) || stamp(a) != t.Stamp || age < 0 || age > ticketLasts {
		return t, access.Account{}, over
	}
	return t, a, nil
}
