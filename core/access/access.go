// Package access says who may do what: accounts, tokens, roles with their sites, and the one table of permissions.
package access

import (
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/name"
)

// A Principal is who is asking.
type Principal struct {
	Name    string // an account's or a token's
	Role    Role
	Sites   []string  // for which the role holds; empty for all
	Also    []Holding // what it holds besides
	Machine string    // of an agent
	Token   bool      // came with a token rather than a session
	User    string    // the person that it is in the directory; empty for none
	Account string    // the folded name of the account; empty for a token that is nobody's own
	Serial  string    // of an enrolled machine's certificate
	For     string    // the person for whom an agent prints
	Owes    bool      // a second factor is demanded of it and not there: it may do nothing but set one up
	Proven  time.Time // when whoever is at a console last showed who they are; zero for others
}

// Person is whose job it is that the principal sends.
func (p *Principal) Person() string {
	if p.Role == Agent {
		return p.For
	}
	if p.User != "" {
		return p.User
	}
	return p.Name
}

// Holdings are all that the principal holds.
func (p *Principal) Holdings() []Holding {
	return append([]Holding{{p.Role, p.Sites}}, p.Also...)
}

// title says who it is, for refusals: "mira (site-administrator of brannoy)".
func (p *Principal) title() string {
	var roles []string
	for _, h := range p.Holdings() {
		says := string(h.Role)
		if len(h.Sites) > 0 {
			says += " of " + strings.Join(h.Sites, ", ")
		}
		roles = append(roles, says)
	}
	return p.Name + " (" + strings.Join(roles, "; ") + ")"
}

// May says whether the principal may do something, somewhere at least.
func (p *Principal) May(a Action) bool {
	return p != nil && checkOwes(p, a) == nil && slices.ContainsFunc(p.Holdings(),
		func(h Holding) bool { return h.may(a) })
}

// Actions lists all that the principal may do, somewhere at least.
func (p *Principal) Actions() []Action {
	var out []Action
	for _, a := range slices.Concat(reads, atSites, everywhere, own, []Action{Report}) {
		if p.May(a) {
			out = append(out, a)
		}
	}
	return out
}

// MayAt says whether the principal may do something to what lies at a site; "" is what lies at none.
func (p *Principal) MayAt(a Action, site string) bool {
	return p.May(a) && slices.ContainsFunc(p.Holdings(), func(h Holding) bool { return h.may(a) && h.at(site) })
}

// Check gives a Denied fault unless the principal may act; nobody gives an Unsigned one. Whoever is to act on something
// that lies at a site is also checked by CheckAt.
func Check(p *Principal, a Action) error {
	if p == nil {
		return fault.New(fault.Unsigned, "sign-in-needed", "sign in, or send a token: Authorization: Bearer TOKEN",
			"nobody is signed in")
	}
	if err := checkOwes(p, a); err != nil {
		return err
	}
	if p.May(a) {
		return nil
	}
	return fault.New(fault.Denied, "not-allowed", "ask whoever keeps the accounts here", "%s may not %s", p.title(), a)
}

// CheckAt is Check for what lies at a site. What says what it is, such as "the server ps-1".
func CheckAt(p *Principal, a Action, site, what string) error {
	if err := Check(p, a); err != nil {
		return err
	}
	if p.MayAt(a, site) {
		return nil
	}
	where := "at no site"
	if site != "" {
		where = "at " + site
	}
	return fault.New(fault.Denied, "not-your-site", "ask whoever looks after it, or an administrator of all sites",
		"%s may not %s: %s lies %s", p.title(), a, what, where)
}

// CheckMachine gives a Denied fault where an agent acts for a machine that is not its own.
func CheckMachine(p *Principal, machine string) error {
	if p.Role == Agent && name.Fold(machine) != name.Fold(p.Machine) {
		said := "a machine that it does not name"
		if machine != "" {
			said = machine
		}
		return fault.New(fault.Denied, "not-your-machine", "an agent speaks for one machine; enrol each: cirque enrol token",
			"%s is for %s and cannot speak for %s", p.Name, p.Machine, said)
	}
	return nil
}

// CheckPerson gives a Denied fault where somebody acts as a person that they are not; is says whether they are.
func CheckPerson(p *Principal, person string, is bool) error {
	if is {
		return nil
	}
	said := "nobody in particular"
	if person != "" {
		said = person
	}
	return fault.New(fault.Denied, "not-your-lineup", "ask as "+p.Person(), "%s may only ask as themselves, and "+
		"this is for %s", p.title(), said)
}

// CheckGives gives a Denied fault where somebody hands out more than they hold.
func CheckGives(p *Principal, want Holding) error {
	if want.Role == Agent && p.May(ManageTokens) {
		return nil
	}
	if slices.ContainsFunc(p.Holdings(), func(h Holding) bool { return h.covers(want) }) {
		return nil
	}
	where := ""
	if len(want.Sites) > 0 {
		where = " of " + strings.Join(want.Sites, ", ")
	}
	return fault.New(fault.Denied, "not-yours-to-give", "give a role and sites within your own",
		"%s cannot give the role %s%s", p.title(), want.Role, where)
}

// CheckObject is CheckAt for an object of an estate, by the site at which it lies.
func CheckObject(p *Principal, a Action, doc *estate.Document, r estate.Ref) error {
	location := ""
	switch o := doc.Find(r).(type) {
	case *estate.Server:
		location = o.Location
	case *estate.Device:
		location = o.Location
	case *estate.Queue:
		location = o.Location
	}
	return CheckAt(p, a, estate.Site(location), "the "+r.String())
}

// Owner names whoever drafts and rehearsals of a principal belong to.
func (p *Principal) Owner() string {
	if p.Account != "" {
		return "account " + p.Account // also with a token of one's own
	}
	if p.Token {
		return "token " + name.Fold(p.Name)
	}
	return "account " + name.Fold(p.Name)
}
