package api

import (
	"time"

	"cirque/core/access"
)

// SignIn is a name and password.
type SignIn struct {
	Name     string `json:"name" minLength:"1" maxLength:"256"`
	Password string `json:"password" minLength:"1" maxLength:"1024"`
}

// SetUp makes the first account.
type SetUp struct {
	Code     string `json:"code" minLength:"1" maxLength:"128" doc:"From the file setup-code in the data directory."`
	Name     string `json:"name" minLength:"1" maxLength:"256"`
	Password string `json:"password" minLength:"1" maxLength:"1024" doc:"At least 12 characters."`
}

// Me is who is signed in.
type Me struct {
	SignedIn   bool        `json:"signed_in"`
	NeedsSetUp bool        `json:"needs_set_up" doc:"The first account is still to be made."`
	Name       string      `json:"name,omitempty"`
	Role       access.Role `json:"role,omitempty" doc:"The mightiest of what is held."`
	Machine    string      `json:"machine,omitempty"`
	Version    string      `json:"version"`
	Agents     string      `json:"agents,omitempty" doc:"The address at which agents enrol, for whoever may let them in; absent where the service speaks no TLS."`
	Notice     string      `json:"notice,omitempty" doc:"What whoever signs in is to know, as the settings have it."`

	Second    *Step      `json:"second,omitempty" doc:"Nobody is signed in yet: this is asked for besides the password."`
	Owes      bool       `json:"owes_factor,omitempty" doc:"A second factor is demanded and not there: nothing can be done but to set one up."`
	Emergency *Emergency `json:"emergency,omitempty" doc:"The account for emergencies is in use; told to those who see accounts."`

	User  string           `json:"user,omitempty" doc:"The person that this is in lineups."`
	Holds []access.Holding `json:"holds,omitempty"`
	May   []access.Action  `json:"may,omitempty" doc:"What may be done, somewhere at least."`
}

// Emergency says since when the seal of the account for emergencies is broken.
type Emergency struct {
	Name  string    `json:"name"`
	Since time.Time `json:"since"`
}

// A Step is what is asked for after the first step of something.
type Step struct {
	Ticket  string   `json:"ticket" doc:"To be sent along with the answer; good for ten minutes."`
	Ways    []string `json:"ways" doc:"What can be shown: code, passkey, recovery or password."`
	Passkey any      `json:"passkey,omitempty" doc:"PublicKeyCredentialRequestOptionsJSON (Web Authentication, level 3, section 5.1.10)."`
}

// Shown is what somebody shows for a step: code, password or passkey.
type Shown struct {
	Ticket   string `json:"ticket" minLength:"1" maxLength:"8192"`
	Code     string `json:"code,omitempty" maxLength:"64" doc:"A one-time code, or a recovery code."`
	Password string `json:"password,omitempty" maxLength:"1024"`
	Passkey  any    `json:"passkey,omitempty" doc:"AuthenticationResponseJSON or RegistrationResponseJSON (Web Authentication, level 3, section 5.1)."`
}

// NewFactor begins to set up a second factor of one's own.
type NewFactor struct {
	Kind access.FactorKind `json:"kind" enum:"code,passkey"`
	Name string            `json:"name" minLength:"1" maxLength:"100" doc:"What it is called, such as where it is."`
}

// SetupFactor is a second factor that is being set up; nothing is kept before it is shown.
type SetupFactor struct {
	Ticket  string `json:"ticket"`
	Secret  string `json:"secret,omitempty" doc:"Of one-time codes, in base32 (RFC 6238: SHA-1, six digits, 30 s)."`
	URI     string `json:"uri,omitempty" doc:"The secret as authenticators take it."`
	Picture string `json:"picture,omitempty" doc:"The URI as a QR code: a data: URI of a PNG."`
	Passkey any    `json:"passkey,omitempty" doc:"PublicKeyCredentialCreationOptionsJSON (Web Authentication, level 3, section 5.1.9)."`
}

// MadeFactor is a second factor that was set up.
type MadeFactor struct {
	Factor   access.Factor `json:"factor"`
	Recovery []string      `json:"recovery_codes,omitempty" doc:"With the first: each lets in once in place of a second factor. Shown this once."`
}

// Factors is what an account shows besides its password.
type Factors struct {
	Items       []access.Factor `json:"items"`
	Recovery    int             `json:"recovery_codes_left"`
	Demanded    bool            `json:"demanded" doc:"The owner demands one of this role."`
	PasskeysOff string          `json:"passkeys_off,omitempty" doc:"Why there can be no passkeys."`
	PasskeyHost string          `json:"passkey_host,omitempty" doc:"The name to which passkeys belong: at other addresses of the service they do not work."`
}

// RecoveryCodes are shown once.
type RecoveryCodes struct {
	Codes []string `json:"codes"`
}

// SealedEmergency is the account for emergencies as it is put into an envelope.
type SealedEmergency struct {
	Name     string `json:"name"`
	Password string `json:"password" doc:"Shown this once."`
}

// NewToken asks for a token.
type NewToken struct {
	Name    string      `json:"name" minLength:"1" maxLength:"256"`
	Role    access.Role `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,agent"`
	Sites   []string    `json:"sites,omitempty" maxItems:"1000" doc:"Where what it does must lie; everywhere when absent."`
	Machine string      `json:"machine,omitempty" maxLength:"256" doc:"Of an agent: the one machine that it is for."`
	Expires *time.Time  `json:"expires,omitempty" doc:"When it ends by itself; never when absent."`
}

// NewOwnToken asks for a token of one's own.
type NewOwnToken struct {
	Name    string     `json:"name" minLength:"1" maxLength:"256"`
	Expires *time.Time `json:"expires,omitempty" doc:"When it ends by itself; never when absent."`
}

// NewEnrolToken asks for an enrolment token.
type NewEnrolToken struct {
	Name    string     `json:"name" minLength:"1" maxLength:"256"`
	Site    string     `json:"site,omitempty" maxLength:"63" doc:"Where the machines stand; any site when absent."`
	Machine string     `json:"machine,omitempty" maxLength:"255" doc:"The one machine that may enrol with it; any when absent."`
	Uses    int        `json:"uses,omitempty" minimum:"0" maximum:"100000" doc:"How many machines may enrol; 1 when absent."`
	Expires *time.Time `json:"expires,omitempty" doc:"A week from now when absent."`
}

// MadeEnrolToken gives an enrolment token, once.
type MadeEnrolToken struct {
	Token  access.EnrolToken `json:"token"`
	Secret string            `json:"secret" doc:"Shown this once; it also says by which authority the service is known."`
	// Service is empty where the service speaks no TLS: nobody enrols there.
	Service string `json:"service" doc:"The address at which agents enrol; empty where the service speaks no TLS."`
}

// LetIn says as what a machine is let in that shows a code.
type LetIn struct {
	Machine string `json:"machine,omitempty" maxLength:"255" doc:"Its name in the directory; the one that it calls itself when absent."`
	Site    string `json:"site,omitempty" maxLength:"63" doc:"Where it stands; by its addresses when absent."`
}

// NewAccount asks for a local account.
type NewAccount struct {
	Name     string      `json:"name" minLength:"1" maxLength:"256"`
	Password string      `json:"password" maxLength:"1024"`
	Role     access.Role `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,person"`
	Sites    []string    `json:"sites,omitempty" maxItems:"1000"`
}

// NewRole gives an account another role.
type NewRole struct {
	Role  access.Role `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,person"`
	Sites []string    `json:"sites,omitempty" maxItems:"1000"`
}

// NewRule lets people of a directory sign in with a role.
type NewRule struct {
	Who    string      `json:"who" minLength:"1" maxLength:"512" doc:"everyone, user:N, group:N or unit:P."`
	Source string      `json:"source,omitempty" maxLength:"64" doc:"The directory that it is about. It may be absent where only one lets its people sign in."`
	Role   access.Role `json:"role" enum:"owner,administrator,site-administrator,help-desk,auditor,person"`
	Sites  []string    `json:"sites,omitempty" maxItems:"1000"`
}

// NewPassword changes one's own password.
type NewPassword struct {
	Old string `json:"old" maxLength:"1024"`
	New string `json:"new" maxLength:"1024"`
}

// MadeToken gives a token's secret, once.
type MadeToken struct {
	Token  access.Token `json:"token"`
	Secret string       `json:"secret" doc:"Shown this once."`
}
