package access

import (
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/name"
)

// An Account is a person who signs in: a local one with a password, or one of a directory, who proves there who they
// are.
type Account struct {
	Name       string    `json:"name" doc:"Of a directory's account, SOURCE/NAME."`
	Role       Role      `json:"role,omitempty" doc:"Of a local account; a directory's follow from the access rules."`
	Sites      []string  `json:"sites,omitempty"`
	Source     string    `json:"source,omitempty" doc:"The directory that it is of; absent for a local account."`
	ExternalID string    `json:"-"`
	Password   string    `json:"-"` // argon2id hash
	CreatedAt  time.Time `json:"created_at"`
	// Factors are how many second factors it has, recovery codes aside.
	Factors   int        `json:"factors,omitempty" doc:"How many second factors it has."`
	Owes      bool       `json:"owes_factor,omitempty" doc:"A second factor is demanded of it and not there: it can do nothing but set one up."`
	Emergency bool       `json:"emergency,omitempty" doc:"It is the account for emergencies."`
	OpenedAt  *time.Time `json:"opened_at,omitempty" doc:"Of the account for emergencies: when its seal was broken; absent while it is sealed."`
}

// User is what the person of a directory's account is called there.
func (a Account) User() string {
	_, user, of := strings.Cut(a.Name, "/")
	if a.Source == "" || !of {
		return a.Name
	}
	return user
}

// ValidHolding checks a role and its sites, brings the sites into order, and gives an Invalid fault. known says which
// sites there are.
func ValidHolding(h *Holding, known func(site string) bool) error {
	slices.Sort(h.Sites)
	h.Sites = slices.Compact(h.Sites)
	switch {
	case !slices.Contains(Roles(), h.Role):
		words := make([]string, 0, len(Roles()))
		for _, r := range Roles() {
			words = append(words, string(r))
		}
		return fault.New(fault.Invalid, "role-unknown", "write one of "+strings.Join(words, ", "), "%q is no role", h.Role)
	case h.Role == SiteAdmin && len(h.Sites) == 0:
		return fault.New(fault.Invalid, "role-sites", "name at least one site, or make it an administrator",
			"a site administrator has sites")
	case (h.Role == Owner || h.Role == Person) && len(h.Sites) > 0:
		return fault.New(fault.Invalid, "role-sites", "leave the sites out", "the role %s has no sites", h.Role)
	}
	for _, s := range h.Sites {
		if !known(s) {
			return fault.New(fault.Invalid, "site-unknown", "see the sites: cirque estate export, under locations",
				"the estate has no site %q", s)
		}
	}
	return nil
}

// A Rule gives people of one directory a role when they sign in. Everybody of a directory is a person besides.
type Rule struct {
	ID     int64  `json:"id"`
	Who    string `json:"who" doc:"everyone, user:N, group:N or unit:P, as in a grant's to."`
	Source string `json:"source,omitempty" doc:"The directory that it is about: nobody else's people can hold it. Absent where an older version left it open and it cannot be known; then it holds for nobody."`
	Holding
	Author string    `json:"author"`
	At     time.Time `json:"at"`
	People int       `json:"people" doc:"How many of the directories' people it holds for now."`
}

// ValidWho checks whom a rule is for.
func ValidWho(who string) error {
	e, err := estate.ParseEntry(who)
	if err != nil || !slices.Contains([]estate.Kind{estate.Everyone, estate.User, estate.Group, estate.Unit}, e.Kind) {
		return fault.New(fault.Invalid, "rule-who", "write everyone, user:NAME, group:NAME or unit:PATH",
			"%q names nobody", who)
	}
	return nil
}

// A Token is a program's way in, or a person's own, which holds what the person holds. The token itself is never kept.
type Token struct {
	ID        int64      `json:"id"`
	Name      string     `json:"name"`
	Role      Role       `json:"role,omitempty" doc:"Absent for a person's own token."`
	Sites     []string   `json:"sites,omitempty"`
	Machine   string     `json:"machine,omitempty" doc:"The one machine that an agent's token is for."`
	Account   string     `json:"account,omitempty" doc:"The account whose own token it is: it may what that may, and ends with it."`
	Author    string     `json:"author"`
	CreatedAt time.Time  `json:"created_at"`
	UsedAt    *time.Time `json:"used_at"`
	ExpiresAt *time.Time `json:"expires_at" doc:"When it ends by itself; absent for never."`
	Hash      [32]byte   `json:"-"`
}

// Ended says whether a token has ended by itself.
func (t Token) Ended(now time.Time) bool { return t.ExpiresAt != nil && !now.Before(*t.ExpiresAt) }

// ValidToken checks a token's description.
func ValidToken(t Token, now time.Time, site func(string) bool) error {
	called, machine := t.Name, t.Machine
	switch {
	case t.Ended(now):
		return fault.New(fault.Invalid, "token-expires", "name a time to come, or none", "the token would have ended "+
			"before it began")
	case strings.TrimSpace(called) == "" || !name.Valid(called):
		return fault.New(fault.Invalid, "token-name", "give it a name that says who uses it", "the token has no name")
	case t.Account != "" && (t.Role != "" || len(t.Sites) > 0 || machine != ""):
		return fault.New(fault.Invalid, "token-role", "leave role, sites and machine out", "a person's own token may what "+
			"the person may")
	case t.Account != "":
		return nil
	case t.Role == Person:
		return fault.New(fault.Invalid, "token-role", "the person makes one themselves: cirque sign-in URL --name NAME",
			"a person's token is made by that person")
	case t.Role == Agent && !name.Valid(machine):
		return fault.New(fault.Invalid, "token-machine", "name the machine", "an agent's token is for one machine, and "+
			"none is named")
	case t.Role == Agent && len(t.Sites) > 0:
		return fault.New(fault.Invalid, "role-sites", "leave the sites out", "an agent's token is for its machine, "+
			"wherever that stands")
	case t.Role == Agent:
		return nil
	case machine != "":
		return fault.New(fault.Invalid, "token-machine", "leave the machine out, or make it an agent's token",
			"only an agent's token is for a machine")
	}
	return ValidHolding(&Holding{t.Role, t.Sites}, site)
}

// A Session is a console session; Hash is the SHA-256 of its cookie.
type Session struct {
	ID        int64     `json:"id"`
	Account   string    `json:"account"`
	Remote    string    `json:"remote" doc:"The address from which it was opened."`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
	UsedAt    time.Time `json:"used_at" doc:"When somebody last did something in it; to the half minute."`
	ProvenAt  time.Time `json:"proven_at" doc:"When its owner last showed who they are."`
	Own       bool      `json:"own,omitempty" doc:"It is one of whoever asks."`
	Hash      [32]byte  `json:"-"`
}

// State is everything needed to let somebody in, held in memory so that it works while the database is away.
type State struct {
	Accounts map[string]Account // by folded name
	Rules    []Rule
	Tokens   map[[32]byte]Token   // not revoked
	Sessions map[[32]byte]Session // by hash
	Signing  []string             // the directories whose people may sign in
	Factors  map[string]int       // how many second factors an account has, by folded name
}

// HasFactor says whether an account signs in with a second factor.
func (s State) HasFactor(a Account) bool { return a.Source == "" && s.Factors[name.Fold(a.Name)] > 0 }

// Owes says whether a second factor is demanded of an account, by its role, and not there.
func (s State) Owes(a Account, roles []string) bool { return Demanded(a, roles) && !s.HasFactor(a) }
