package access

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"net/netip"
	"strings"
	"time"

	"cirque/core/fault"
)

// A Pairing is a machine with somebody in front of it that asks to be let in by a code which both it and the service
// work out, and which a person carries from the one to the other.
type Pairing struct {
	Code    string     `json:"code" doc:"Eight characters, as the machine shows them."`
	Machine string     `json:"machine" doc:"As it calls itself, or as it was let in."`
	System  string     `json:"system,omitempty" doc:"Its platform, such as linux/x64."`
	Remote  string     `json:"remote" doc:"The address that it asks from."`
	Site    string     `json:"site,omitempty" doc:"Where it stands, by what is fixed for it or by its addresses; absent where that is not known."`
	State   string     `json:"state" enum:"waiting,let-in,enrolled,ended"`
	At      time.Time  `json:"at" doc:"When it asked."`
	EndsAt  time.Time  `json:"ends_at" doc:"Until when the code is good."`
	By      string     `json:"by,omitempty" doc:"Who let it in."`
	ByAt    *time.Time `json:"by_at,omitempty"`

	Ticket     [32]byte     `json:"-"` // SHA-256 of that with which the machine goes on
	Request    []byte       `json:"-"` // PKCS #10 as PEM
	Addresses  []netip.Addr `json:"-"`
	Follows    bool         `json:"-"` // it takes the authorities that it is given
	Commitment string       `json:"-"` // SHA-256 of the machine's nonce, hexadecimal
	Nonce      string       `json:"-"` // the service's
	Token      int64        `json:"-"` // the enrolment token that lets it in; 0 before
	Used       bool         `json:"-"` // that token
}

// States of a Pairing.
const (
	PairWaiting  = "waiting"  // for somebody who types its code
	PairLetIn    = "let-in"   // for the machine to come for its certificate
	PairEnrolled = "enrolled" // it has it
	PairEnded    = "ended"    // nobody typed it in time
)

// Limits of pairings.
const (
	PairLasts = 10 * time.Minute
	PairMost  = 500 // that wait at a time
	PairHere  = 16  // that wait at a time from one place
)

// pairAlphabet has no letter that is taken for a digit (I, L, O), and no U, so that few words come out: 32 characters,
// five bits each.
const pairAlphabet = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"

// PairCode is what a machine shows and the service expects: 40 bits of SHA-256 over all that the two have to agree on.
// The machine has committed to its nonce before it hears the service's, and so whoever stands between the two has one
// guess in 2^40 at a code that both sides work out, though they hold different keys. Fields are preceded by their
// lengths.
//
//   - machine: its name, as it calls itself
//   - request: the certificate request (RFC 2986), PEM
//   - authority: SHA-256 of the certificate of the authority by which the machine knows the service, hexadecimal
//   - a, b: the machine's nonce and the service's, at least 128 bits each
func PairCode(machine string, request []byte, authority, a, b string) string {
	h := sha256.New()
	for _, field := range []string{"code of a machine 1", machine, string(request), strings.ToLower(authority), a, b} {
		var n [8]byte
		binary.BigEndian.PutUint64(n[:], uint64(len(field)))
		h.Write(n[:])
		h.Write([]byte(field))
	}
	var bits uint64
	for _, b := range h.Sum(nil)[:5] {
		bits = bits<<8 | uint64(b)
	}
	var code [8]byte
	for i := range code {
		code[7-i] = pairAlphabet[bits&31]
		bits >>= 5
	}
	return string(code[:])
}

// ShownCode writes a code as people read it: two groups of four.
func ShownCode(code string) string {
	if len(code) != 8 {
		return code
	}
	return code[:4] + "-" + code[4:]
}

// ReadCode reads a code as people type it: in any case, with blanks and dashes, I and L for 1, O for 0. An Invalid
// fault says what is wrong.
func ReadCode(typed string) (string, error) {
	var code strings.Builder
	for _, r := range strings.ToUpper(typed) {
		switch r {
		case ' ', '-', '\t', '\u2010', '\u2011', '\u2013', '\u00a0':
			continue
		case 'I', 'L':
			r = '1'
		case 'O':
			r = '0'
		}
		if !strings.ContainsRune(pairAlphabet, r) {
			return "", fault.New(fault.Invalid, "pair-code", "type the eight letters and digits that the machine shows",
				"%q is in no code", string(r))
		}
		code.WriteRune(r)
	}
	if code.Len() != 8 {
		return "", fault.New(fault.Invalid, "pair-code", "type the eight letters and digits that the machine shows",
			"a code has 8 characters, and this one has %d", code.Len())
	}
	return code.String(), nil
}

// CommitTo is what a machine tells of its nonce before it hears the service's: SHA-256, hexadecimal.
func CommitTo(nonce string) string {
	sum := sha256.Sum256([]byte(nonce))
	return hex.EncodeToString(sum[:])
}

// StateAt gives how a pairing stands at a time.
func (p Pairing) StateAt(now time.Time) string {
	switch {
	case p.Used:
		return PairEnrolled
	case !now.Before(p.EndsAt):
		return PairEnded
	case p.Token != 0:
		return PairLetIn
	}
	return PairWaiting
}

// NoMachineName is the Invalid fault of what is no name of a machine.
func NoMachineName(called string) error {
	return fault.New(fault.Invalid, "machine-name", "name the machine as the directory does", "%q is no name of a machine",
		called)
}
