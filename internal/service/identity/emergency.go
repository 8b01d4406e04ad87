package identity

import (
	"context"
	"crypto/rand"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
)

// EmergencyName is that of the account for emergencies: an owner whose password lies in an envelope.
const EmergencyName = "emergency"

// emergencyLasts is how long whoever uses it stays signed in.
const emergencyLasts = time.Hour

// SealEmergency makes the account for emergencies, or seals it anew, and gives its password, which is kept nowhere.
func (s *Room) SealEmergency(ctx context.Context, p *access.Principal) (password string, err error) {
	if err := access.Check(p, access.ManageAccounts); err != nil {
		return "", err
	}
	if a, ok := s.present.Access().Accounts[p.Account]; ok && a.Emergency {
		return "", fault.New(fault.Denied, "account-emergency", "sign in with an account of your own", "whoever has opened "+
			"the envelope does not seal it")
	}
	// 26 letters are 130 bits; in groups they are copied from paper more easily.
	text := strings.ToLower(rand.Text())
	var groups []string
	for len(text) > 5 {
		groups, text = append(groups, text[:5]), text[5:]
	}
	password = strings.Join(append(groups, text), "-")
	hash, err := s.hashPassword(ctx, password)
	if err != nil {
		return "", err
	}
	if err := s.store.SealEmergency(ctx, EmergencyName, hash, p.Name); err != nil {
		return "", err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return password, nil
}

// Emergency gives the account for emergencies where its seal is broken, for those who see accounts.
func (s *Room) Emergency(p *access.Principal) (a access.Account, opened bool) {
	if !p.May(access.ReadAccess) {
		return a, false
	}
	for _, a := range s.present.Access().Accounts {
		if a.Emergency && a.OpenedAt != nil {
			return a, true
		}
	}
	return a, false
}
