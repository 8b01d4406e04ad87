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

	User  string           `json:"user,omitempty" doc:"The person that this is in lineups."`
	Holds []access.Holding `json:"holds,omitempty"`
	May   []access.Action  `json:"may,omitempty" doc:"What may be done, somewhere at least."`
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
	Uses    int        `json:"uses,omitempty" minimum:"0" maximum:"100000" doc:"How many machines may enrol; 1 when absent."`
	Expires *time.Time `json:"expires,omitempty" doc:"A week from now when absent."`
}

// MadeEnrolToken gives an enrolment token, once.
type MadeEnrolToken struct {
	Token  access.EnrolToken `json:"token"`
	Secret string            `json:"secret" doc:"Shown this once; it also says by which authority the service is known."`
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
