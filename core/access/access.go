// Package access says who may do what: accounts, tokens, roles, and the one table of permissions.
package access

import (
	"strings"
	"time"

	"cirque/core/name"
	"cirque/internal/fault"
)

// A Role bundles permissions.
type Role string

// The roles.
const (
	Administrator Role = "administrator"
	Agent         Role = "agent" // one machine's agent: asks as that machine, reports for it
)

// An Action is something that a permission is for.
type Action string

// The actions.
const (
	ReadEstate    Action = "read the estate"
	Publish       Action = "publish the estate"
	ReadDirectory Action = "read the directory"
	Import        Action = "import a directory"
	AskAny        Action = "ask for any lineup"
	AskOwn        Action = "ask for the lineups of its own machine"
	ReadFleet     Action = "read endpoints and events"
	Report        Action = "report for an endpoint"
	ManageTokens  Action = "manage tokens"
	SendTestPage  Action = "send a test page"
	Print         Action = "print through the gateway"

	EditDraft       Action = "edit a draft"
	Rehearse        Action = "rehearse a change"
	Drain           Action = "take servers out of duty"
	PickFor         Action = "pick queues for people"
	RefreshEndpoint Action = "have an endpoint report"
)

// table is the whole of who may do what.
var table = map[Role][]Action{
	Administrator: {ReadEstate, Publish, ReadDirectory, Import, AskAny, AskOwn, ReadFleet, ManageTokens, SendTestPage, Print, RefreshEndpoint, EditDraft, Rehearse, Drain, PickFor},
	Agent:         {AskOwn, Report, Print},
}

// A Principal is who is asking.
type Principal struct {
	Name    string // an account's or a token's
	Role    Role
	Machine string // of an agent
	Token   bool   // came with a token rather than a session
	For     string // the person for whom an agent prints
}

// Person is whose job it is that the principal sends.
func (p *Principal) Person() string {
	if p.Role == Agent {
		return p.For
	}
	return p.Name
}

// Check gives a Denied fault unless the principal may act; nobody gives an Unsigned one.
func Check(p *Principal, a Action) error {
	if p == nil {
		return fault.New(fault.Unsigned, "sign-in-needed", "sign in, or send a token: Authorization: Bearer TOKEN", "nobody is signed in")
	}
	for _, may := range table[p.Role] {
		if may == a {
			return nil
		}
	}
	return fault.New(fault.Denied, "not-allowed", "ask an administrator", "%s (%s) may not %s", p.Name, p.Role, a)
}

// CheckMachine gives a Denied fault where an agent acts for a machine that is not its own.
func CheckMachine(p *Principal, machine string) error {
	if p.Role == Agent && name.Fold(machine) != name.Fold(p.Machine) {
		said := "a machine that it does not name"
		if machine != "" {
			said = machine
		}
		return fault.New(fault.Denied, "not-your-machine", "an agent's token is for one machine; make one for each: cirque token create --role agent --machine NAME",
			"the token %s is for %s and cannot speak for %s", p.Name, p.Machine, said)
	}
	return nil
}

// An Account is a person who signs in.
type Account struct {
	Name      string    `json:"name"`
	Role      Role      `json:"role"`
	Password  string    `json:"-"` // argon2id hash
	CreatedAt time.Time `json:"created_at"`
}

// A Token is a program's way in. The token itself is never kept.
type Token struct {
	ID        int64      `json:"id"`
	Name      string     `json:"name"`
	Role      Role       `json:"role" enum:"administrator,agent"`
	Machine   string     `json:"machine,omitempty" doc:"The one machine that an agent's token is for."`
	Author    string     `json:"author"`
	CreatedAt time.Time  `json:"created_at"`
	UsedAt    *time.Time `json:"used_at"`
	Hash      [32]byte   `json:"-"`
}

// ValidToken checks a token's description.
func ValidToken(called string, role Role, machine string) error {
	switch {
	case strings.TrimSpace(called) == "" || !name.Valid(called):
		return fault.New(fault.Invalid, "token-name", "give it a name that says who uses it", "the token has no name")
	case role != Administrator && role != Agent:
		return fault.New(fault.Invalid, "token-role", "write administrator or agent", "%q is no role of a token", role)
	case role == Agent && !name.Valid(machine):
		return fault.New(fault.Invalid, "token-machine", "name the machine", "an agent's token is for one machine, and none is named")
	case role != Agent && machine != "":
		return fault.New(fault.Invalid, "token-machine", "leave the machine out, or make it an agent's token", "only an agent's token is for a machine")
	}
	return nil
}

// A Session is a console session; Hash is the SHA-256 of its cookie.
type Session struct {
	Hash      [32]byte
	Account   string
	ExpiresAt time.Time
}

// State is everything needed to let somebody in, held in memory so that it works while the database is away.
type State struct {
	Accounts map[string]Account   // by folded name
	Tokens   map[[32]byte]Token   // not revoked
	Sessions map[[32]byte]Session // by hash
}
