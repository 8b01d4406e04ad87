package directory

import (
	"slices"

	"cirque/core/name"
)

// SignsInAs gives the name by which a user asks here who has signed in through their source; signing are the sources
// whose people do. Accounts of one name are one person, which is right for what contexts and jobs name, and for sources
// that somebody takes in. It is not enough for signing in: whoever keeps one directory must not become somebody of
// another by calling an account alike. So where several such sources have the name, an account is that person only if
// their owner said so, by hand, by a rule, or by naming its source the primary one; else it asks as SOURCE/NAME, which
// has nothing of the other.
func SignsInAs(d *Directory, u User, signing []string) string {
	plain := name.Fold(u.Name)
	for _, source := range signing {
		other, ok := d.UserOf(source, u.Name)
		if source == u.Source || !ok || other.Source != source || name.Fold(other.Name) != plain {
			continue
		}
		if links := d.records.Links; links.Primary != u.Source && !links.vouch(u, other) {
			return u.Source + "/" + u.Name
		}
	}
	return u.Name
}

// vouch says whether the owner's word or rule makes one person of two accounts.
func (l Links) vouch(a, b User) bool {
	hand := func(x Account, u User) bool {
		return x.Source == u.Source && (x.ID != "" && x.ID == u.ExternalID || x.ID == "" &&
			name.Fold(x.Name) == name.Fold(u.Name))
	}
	switch {
	case l.ByAddress && a.Email != "" && name.Fold(a.Email) == name.Fold(b.Email),
		l.ByEmployee && a.Employee != "" && a.Employee == b.Employee:
		return true
	}
	return slices.ContainsFunc(l.ByHand, func(h Link) bool {
		return !h.Unlinked && (hand(h.A, a) && hand(h.B, b) || hand(h.A, b) && hand(h.B, a))
	})
}
