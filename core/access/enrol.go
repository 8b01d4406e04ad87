package access

import (
	"strings"
	"time"

	"cirque/core/fault"
	"cirque/core/name"
)

// An EnrolToken lets agents enrol: so many times, until it ends, at one site or any. The token itself is never kept.
type EnrolToken struct {
	ID        int64      `json:"id"`
	Name      string     `json:"name"`
	Site      string     `json:"site,omitempty" doc:"Where the machines stand; any site when absent."`
	Machine   string     `json:"machine,omitempty" doc:"The one machine that may enrol with it; any when absent."`
	Uses      int        `json:"uses" doc:"How many machines may enrol with it."`
	Used      int        `json:"used"`
	ExpiresAt time.Time  `json:"expires_at"`
	RevokedAt *time.Time `json:"revoked_at,omitempty"`
	Author    string     `json:"author"`
	CreatedAt time.Time  `json:"created_at"`
	Hash      [32]byte   `json:"-"`
}

// Defaults and limits of an EnrolToken.
const (
	EnrolLasts   = 7 * 24 * time.Hour
	EnrolLongest = 366 * 24 * time.Hour
	EnrolMost    = 100000
)

// Over says why a token lets nobody in any more; empty while it does.
func (t EnrolToken) Over(now time.Time) string {
	switch {
	case t.RevokedAt != nil:
		return "was revoked"
	case !now.Before(t.ExpiresAt):
		return "has ended"
	case t.Used >= t.Uses:
		return "has been used up"
	}
	return ""
}

// ValidEnrolToken checks an enrolment token's description; site says which sites there are.
func ValidEnrolToken(t EnrolToken, now time.Time, site func(string) bool) error {
	switch {
	case strings.TrimSpace(t.Name) == "" || !name.Valid(t.Name):
		return fault.New(fault.Invalid, "token-name", "give it a name that says what it is for, such as brannoy-2026",
			"the enrolment token has no name")
	case t.Uses < 1 || t.Uses > EnrolMost:
		return fault.New(fault.Invalid, "enrol-uses", "write 1 to 100000", "%d is no number of machines", t.Uses)
	case !now.Before(t.ExpiresAt) || t.ExpiresAt.Sub(now) > EnrolLongest:
		return fault.New(fault.Invalid, "token-expires", "name a time to come, within a year",
			"an enrolment token ends within a year")
	case t.Machine != "" && !name.Valid(t.Machine):
		return NoMachineName(t.Machine)
	case t.Site != "" && !site(t.Site):
		return fault.New(fault.Invalid, "site-unknown", "see the sites: cirque estate export, under locations",
			"the estate has no site %q", t.Site)
	}
	return nil
}

// Enrolled is a machine whose agent has a certificate of Cirque's own authority.
type Enrolled struct {
	Machine   string     `json:"machine"`
	Site      string     `json:"site,omitempty"`
	Serial    string     `json:"serial" doc:"The certificate's serial number, hexadecimal."`
	Key       string     `json:"key" doc:"SHA-256 of the public key, hexadecimal."`
	By        string     `json:"by" doc:"The enrolment token."`
	At        time.Time  `json:"at" doc:"When it enrolled."`
	IssuedAt  time.Time  `json:"issued_at" doc:"When the certificate was issued."`
	ExpiresAt time.Time  `json:"expires_at"`
	RevokedAt *time.Time `json:"revoked_at,omitempty"`
	RevokedBy string     `json:"revoked_by,omitempty"`
	Authority string     `json:"authority,omitempty" doc:"SHA-256 of the certificate of the authority that issued it, hexadecimal; absent where an older version did."`
}

// A Certificate is one that was issued to a machine (RFC 5280).
type Certificate struct {
	PEM       []byte
	Serial    string // hexadecimal
	Key       string // SHA-256 of the SubjectPublicKeyInfo, hexadecimal
	Authority string // SHA-256 of the issuing authority's certificate, hexadecimal
	ExpiresAt time.Time
}

// CertificateLasts is the lifetime of agents' certificates: long enough that an agent which is due to renew when its
// line is cut still has one when the longest permitted cut ends. It renews when a third is left.
const CertificateLasts = 90 * 24 * time.Hour

// Lifetime gives how long a certificate lasts at a site whose line may be cut for so long.
func Lifetime(longestCut time.Duration) time.Duration { return max(CertificateLasts, 3*longestCut) }

// Renews says whether a certificate is to be renewed: a third of its life is left, or less.
func Renews(from, until, now time.Time) bool { return now.After(until.Add(-until.Sub(from) / 3)) }

// Revoked is the fault of a certificate that is good no more, or never was.
func Revoked(machine string) error {
	return fault.New(fault.Unsigned, "certificate-revoked", "enrol the machine again: cirque-agent enrol",
		"the certificate of %s was revoked, or is not of this service", machine)
}

// EnrolledAlready is the Conflict fault of a machine that has a certificate.
func EnrolledAlready(machine string, since time.Time) error {
	return fault.New(fault.Conflict, "enrolled-already", "where it was set up anew, revoke its old certificate first: "+
		"cirque enrol revoke "+machine, "%s has been enrolled since %s", machine, since.UTC().Format(time.DateOnly))
}
