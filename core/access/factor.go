package access

import (
	"encoding/json"
	"slices"
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/name"
)

// A FactorKind is a way of showing who one is besides the password.
type FactorKind string

// The kinds of factor.
const (
	Code     FactorKind = "code"     // a one-time code out of the time (RFC 6238)
	Passkey  FactorKind = "passkey"  // a key that never leaves a device (Web Authentication)
	Recovery FactorKind = "recovery" // one of the codes that were written down, for once
)

// A Factor is something that somebody with an account here shows besides the password.
type Factor struct {
	ID        int64      `json:"id"`
	Kind      FactorKind `json:"kind" enum:"code,passkey"`
	Name      string     `json:"name" doc:"What its owner calls it."`
	CreatedAt time.Time  `json:"created_at"`
	UsedAt    *time.Time `json:"used_at,omitempty" doc:"When it was shown last."`
	Account   string     `json:"-"` // folded
	Body      []byte     `json:"-"` // sealed; of a recovery code its SHA-256
}

// A Step is what is asked of somebody after the first step of something.
type Step struct {
	Ticket string // to be sent along with what is shown
	Ways   []string
	// Passkey asks a browser to show one: PublicKeyCredentialRequestOptionsJSON; nil where there is none.
	Passkey json.RawMessage
}

// Shown is what somebody shows for a Step: one of its fields.
type Shown struct {
	Ticket   string
	Code     string // a one-time code, or a recovery code
	Passkey  json.RawMessage
	Password string // to prove again who one is, without second factors
}

// FactorsMost is how many second factors an account may have, recovery codes aside.
const FactorsMost = 20

// Demanded says whether an account must have a second factor: one that is kept here and holds one of the roles for
// which the owner demands it. A directory's people prove there who they are.
func Demanded(a Account, roles []string) bool {
	return a.Source == "" && !a.Emergency && slices.Contains(roles, string(a.Role))
}

// ValidFactorName checks what somebody calls a factor.
func ValidFactorName(called string) error {
	if strings.TrimSpace(called) == "" || !name.Valid(called) || len(called) > 100 {
		return fault.New(fault.Invalid, "factor-name", "call it by where it is, such as \"phone\"; up to 100 characters",
			"%q is no name for a second factor", called)
	}
	return nil
}

// CheckProven gives a Denied fault with the code "prove-again" where somebody at a console has not shown for longer
// than within who they are. A token shows it each time.
func CheckProven(p *Principal, now time.Time, within time.Duration) error {
	if p == nil || p.Token || p.Proven.IsZero() || now.Sub(p.Proven) <= within {
		return nil
	}
	return fault.New(fault.Denied, "prove-again", "show again who you are: POST /api/v1/session/proof; the console asks "+
		"by itself", "this is asked of whoever has just shown that they are %s", p.Name)
}

// checkOwes gives a Denied fault where a second factor is demanded that is not there yet.
func checkOwes(p *Principal, a Action) error {
	if !p.Owes || a == OwnFactors {
		return nil
	}
	return fault.New(fault.Denied, "second-factor-demanded", "set one up at the console: sign in there, and it asks "+
		"for it",
		"%s is to have a second factor before anything else: a passkey, or one-time codes", p.Name)
}
