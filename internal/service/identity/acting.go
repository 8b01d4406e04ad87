package identity

import (
	"strings"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/name"
)

// Acting gives somebody by what their drafts belong to (access.Principal.Owner), with what they may now, for what they
// asked to be done later; a Denied fault where there is no such account or token any more.
func Acting(s *Room, owner string) (*access.Principal, error) {
	kind, called, _ := strings.Cut(owner, " ")
	state := s.present.Access()
	if kind == "account" {
		if a, ok := state.Accounts[called]; ok {
			if p := s.principal(a); p != nil {
				return p, nil
			}
		}
	}
	for _, t := range state.Tokens {
		if kind == "token" && t.Account == "" && name.Fold(t.Name) == called && !t.Ended(s.now()) {
			return &access.Principal{Name: t.Name, Role: t.Role, Sites: t.Sites, Machine: t.Machine, Token: true}, nil
		}
	}
	return nil, fault.New(fault.Denied, "nobody-acting", "take the draft over, or discard it",
		"the %s %s is not there any "+
			"more", kind, called)
}
