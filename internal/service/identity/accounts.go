package identity

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// Accounts lists who has signed in or can, by name; a directory's with what they may now.
func (s *Room) Accounts(_ context.Context, p *access.Principal) ([]access.Account, error) {
	if err := access.Check(p, access.ReadAccess); err != nil {
		return nil, err
	}
	out, state, demanded := []access.Account{}, s.present.Access(), s.present.View().Document().SecondFactor()
	for _, a := range state.Accounts {
		if a.Source != "" {
			if now := s.principal(a); now != nil {
				a.Role, a.Sites = now.Role, now.Sites
			}
		}
		a.Factors, a.Owes = state.Factors[name.Fold(a.Name)], state.Owes(a, demanded)
		out = append(out, a)
	}
	slices.SortFunc(out, func(a, b access.Account) int { return cmp.Compare(name.Fold(a.Name), name.Fold(b.Name)) })
	return out, nil
}

// AddAccount makes a local account.
func (s *Room) AddAccount(ctx context.Context, p *access.Principal, called, password string,
	h access.Holding) (access.Account, error) {
	if err := access.Check(p, access.ManageAccounts); err != nil {
		return access.Account{}, err
	}
	if err := access.ValidHolding(&h, s.present.View().Document().HasSite); err != nil {
		return access.Account{}, err
	}
	if err := checkNewAccount(called, password); err != nil {
		return access.Account{}, err
	}
	hash, err := s.hashPassword(ctx, password)
	if err != nil {
		return access.Account{}, err
	}
	a, err := s.store.AddAccount(ctx, access.Account{Name: called, Role: h.Role, Sites: h.Sites, Password: hash}, p.Name)
	if err != nil {
		return a, err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return a, nil
}

// SetRole gives a local account another role.
func (s *Room) SetRole(ctx context.Context, p *access.Principal, called string,
	h access.Holding) (access.Account, error) {
	if err := access.Check(p, access.ManageAccounts); err != nil {
		return access.Account{}, err
	}
	if err := access.ValidHolding(&h, s.present.View().Document().HasSite); err != nil {
		return access.Account{}, err
	}
	a, err := s.store.SetRole(ctx, called, h, p.Name)
	if err != nil {
		return a, err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return a, nil
}

// RemoveAccount ends an account, with its sessions and own tokens.
func (s *Room) RemoveAccount(ctx context.Context, p *access.Principal, called string) error {
	if err := access.Check(p, access.ManageAccounts); err != nil {
		return err
	}
	if a := s.present.Access().Accounts[name.Fold(called)]; a.Emergency && name.Fold(called) == p.Account {
		return fault.New(fault.Denied, "account-emergency", "sign in with an account of your own", "whoever has opened the "+
			"envelope does not throw it away")
	}
	if err := s.store.RemoveAccount(ctx, called, p.Name); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}

// ChangePassword gives one's own account another password, for whoever knows the old one. Its sessions end.
func (s *Room) ChangePassword(ctx context.Context, p *access.Principal, remote, old, password string) error {
	if err := access.Check(p, access.OwnToken); err != nil {
		return err
	}
	a, ok := s.present.Access().Accounts[p.Account]
	if !ok || a.Source != "" {
		return fault.New(fault.Conflict, "password-elsewhere", "change it where the account is",
			"%s has no password here", p.Name)
	}
	if a.Emergency {
		return fault.New(fault.Denied, "account-emergency", "have an owner seal it anew: cirque account emergency",
			"whoever has opened the envelope does not seal it")
	}
	if _, err := s.CheckAccount(ctx, remote, remote, a.Name, old); err != nil {
		return err
	}
	if err := checkNewAccount(a.Name, password); err != nil {
		return err
	}
	if password == old {
		return fault.New(fault.Invalid, "password-same", "take another", "this is the password that it has already")
	}
	hash, err := s.hashPassword(ctx, password)
	if err != nil {
		return err
	}
	if _, err := s.store.SetPassword(ctx, a.Name, hash, p.Name); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}

// Rules lists which people of a directory sign in with which role.
func (s *Room) Rules(_ context.Context, p *access.Principal) ([]access.Rule, error) {
	if err := access.Check(p, access.ReadAccess); err != nil {
		return nil, err
	}
	out := append([]access.Rule{}, s.present.Access().Rules...)
	for i := range out {
		out[i].People = peopleOf(s.present.View().World.Directory, out[i])
	}
	return out, nil
}

// peopleOf counts whom an access rule holds for, whether the directory's people may sign in or not.
func peopleOf(d *directory.Directory, r access.Rule) int {
	n := 0
	for _, u := range d.Records().Users {
		if holdsFor(d, u, r) {
			n++
		}
	}
	return n
}

// AddRule lets people of a directory sign in with a role. source says of which; it may be empty where only one lets its
// people sign in, or where who names it: group:SOURCE/NAME.
func (s *Room) AddRule(ctx context.Context, p *access.Principal, who, source string,
	h access.Holding) (access.Rule, error) {
	if err := access.Check(p, access.ManageAccounts); err != nil {
		return access.Rule{}, err
	}
	if err := access.ValidWho(who); err != nil {
		return access.Rule{}, err
	}
	if err := access.ValidHolding(&h, s.present.View().Document().HasSite); err != nil {
		return access.Rule{}, err
	}
	who, source, err := s.meant(ctx, who, source)
	if err != nil {
		return access.Rule{}, err
	}
	r, err := s.store.AddRule(ctx, access.Rule{Who: who, Source: source, Holding: h, Author: p.Name})
	if err != nil {
		return r, err
	}
	r.People = peopleOf(s.present.View().World.Directory, r)
	s.present.Show(ctx, event.Signal{What: event.Access})
	return r, nil
}

// meant finds the directory that a rule is about, and who there.
func (s *Room) meant(ctx context.Context, who, source string) (string, string, error) {
	list, _, err := s.store.Sources(ctx)
	if err != nil {
		return "", "", err
	}
	var all, signing []string
	for _, v := range list {
		all = append(all, v.Name)
		if v.SignIn {
			signing = append(signing, v.Name)
		}
	}
	kind, called, _ := strings.Cut(who, ":")
	if of, plain, ok := strings.Cut(called, "/"); ok && kind != string(estate.Unit) && slices.Contains(all, of) &&
		(source == "" || source == of) {
		return kind + ":" + plain, of, nil
	}
	switch {
	case source != "" && slices.Contains(all, source), source == "" && len(signing) == 1:
		return who, cmp.Or(source, strings.Join(signing, "")), nil
	case source != "":
		return "", "", fault.New(fault.Invalid, "rule-source", "name one of: "+cmp.Or(strings.Join(all, ", "),
			"none is read; see cirque directory source add"), "no directory %q is read", source)
	case len(signing) == 0:
		return "", "", fault.New(fault.Invalid, "rule-source", "add one first: cirque directory source add NAME ... "+
			"--sign-in", "there is no directory whose people may sign in")
	}
	return "", "", fault.New(fault.Invalid, "rule-source", "say which with source: "+strings.Join(signing, ", "),
		"the people of several directories may sign in, and the rule does not say whose it is about")
}

// RemoveRule ends an access rule.
func (s *Room) RemoveRule(ctx context.Context, p *access.Principal, id int64) error {
	if err := access.Check(p, access.ManageAccounts); err != nil {
		return err
	}
	if err := s.store.RemoveRule(ctx, id, p.Name); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}
