package factors

import (
	"context"
	"encoding/json"
	"net/url"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/factor"
)

// Kept is what somebody's account shows besides its password.
type Kept struct {
	Items    []access.Factor
	Recovery int    // codes that are left
	Demanded bool   // of the account, by the owner
	Off      string // why there can be no passkeys; empty where there can
	Host     string // the name to which passkeys belong
}

// List gives one's own second factors.
func (s *Room) List(ctx context.Context, p *access.Principal) (Kept, error) {
	a, err := s.ownLocal(p)
	if err != nil {
		return Kept{}, err
	}
	list, err := s.store.Factors(ctx, a.Name)
	if err != nil {
		return Kept{}, err
	}
	out := Kept{Items: []access.Factor{}, Demanded: access.Demanded(a, s.present.View().Document().SecondFactor()),
		Off: s.passkeys.Off(), Host: s.passkeys.Host()}
	for _, f := range list {
		if f.Kind == access.Recovery {
			out.Recovery++
		} else {
			out.Items = append(out.Items, f)
		}
	}
	return out, nil
}

// ownLocal gives the account of somebody at a console who has a password here.
func (s *Room) ownLocal(p *access.Principal) (access.Account, error) {
	a, err := s.atConsole(p)
	switch {
	case err != nil:
		return a, err
	case a.Source != "":
		return a, fault.New(fault.Conflict, "factors-elsewhere", "set it up where the account is", "%s signs in with the "+
			"password of the directory %s, which asks for a second factor itself", a.Name, a.Source)
	case a.Emergency:
		return a, fault.New(fault.Conflict, "account-emergency", "make an account of your own", "the account for "+
			"emergencies has no second factor: its password lies sealed")
	}
	return a, nil
}

// A Setup is a second factor that is being set up: with a key of one-time codes, or what a browser is asked.
type Setup struct {
	Ticket  string
	Key     factor.CodeKey
	Passkey json.RawMessage // PublicKeyCredentialCreationOptions in JSON
}

// Begin begins to set up a second factor of one's own. Nothing is kept before Finish.
func (s *Room) Begin(ctx context.Context, p *access.Principal, kind access.FactorKind,
	called string) (out Setup, err error) {
	a, err := s.ownLocal(p)
	if err != nil {
		return out, err
	}
	if err := access.ValidFactorName(called); err != nil {
		return out, err
	}
	t := ticket{For: forCode, Name: called}
	if kind == access.Passkey {
		t.For = forPasskey
		list, err := s.store.Factors(ctx, a.Name)
		if err != nil {
			return out, err
		}
		keys, _, _ := s.passkeysOf(list) // one that cannot be opened may be made again
		if out.Passkey, t.Session, err = s.passkeys.Begin(a.Name, a.CreatedAt, keys); err != nil {
			return out, err
		}
	} else {
		if out.Key, err = factor.NewCodeKey(s.issuer(), a.Name); err != nil {
			return out, err
		}
		t.Secret = out.Key.Secret
	}
	out.Ticket, err = s.ticketOf(t, a)
	return out, err
}

// issuer is what an authenticator shows above a code: which service it is for.
func (s *Room) issuer() string {
	if u, err := url.Parse(s.cfg.PublicURL); err == nil && u.Hostname() != "" {
		return "Cirque at " + u.Hostname()
	}
	return "Cirque"
}

// Finish keeps a second factor once it has been shown. With the first one come recovery codes, which are shown this
// once.
func (s *Room) Finish(ctx context.Context, p *access.Principal, remote string, in access.Shown) (f access.Factor,
	codes []string, err error) {
	a, err := s.ownLocal(p)
	if err != nil {
		return f, nil, err
	}
	t, of, err := s.take(in.Ticket, forCode, forPasskey)
	if err == nil && of.Name != a.Name {
		err = fault.New(fault.Denied, "ticket-over", "begin anew", "the first step was somebody else's")
	}
	if err != nil {
		return f, nil, err
	}
	f = access.Factor{Kind: access.Code, Name: t.Name, Account: p.Account}
	kept, step := t.Secret, int64(0)
	if t.For == forPasskey {
		f.Kind = access.Passkey
		body, err := s.passkeys.Finish(a.Name, a.CreatedAt, t.Session, in.Passkey)
		if err != nil {
			return f, nil, err
		}
		kept = string(body)
	} else {
		try, err := s.guard.Begin(ctx, "setting up "+p.Account, remote, s.now)
		if err != nil {
			return f, nil, err
		}
		at, ok := factor.CheckCode(t.Secret, in.Code, s.now())
		try.End(ok, true, s.now())
		if !ok {
			return f, nil, fault.New(fault.Invalid, "code-wrong", "type the code that is shown now; where it goes on, look at "+
				"the clock of the device", "the code is not right")
		}
		step = at
	}
	if f.Body, err = s.cfg.Seals.Seal(factorName(f), kept); err != nil {
		return f, nil, err
	}
	codes, hashes := factor.NewRecoveryCodes()
	f, first, err := s.store.AddFactor(ctx, f, hashes)
	if err != nil {
		return f, nil, err
	}
	if !first {
		codes = nil
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	if step > 0 { // the code that showed it is no code to sign in with
		_, err = s.store.UseFactor(ctx, f.ID, step, nil)
	}
	return f, codes, err
}

// Remove ends a second factor of one's own; the last one only where none is demanded.
func (s *Room) Remove(ctx context.Context, p *access.Principal, id int64) error {
	a, err := s.ownLocal(p)
	if err != nil {
		return err
	}
	keep := access.Demanded(a, s.present.View().Document().SecondFactor())
	if err := s.store.RemoveFactor(ctx, a.Name, id, keep); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}

// NewRecoveryCodes is a new sheet of recovery codes; the former ones are over.
func (s *Room) NewRecoveryCodes(ctx context.Context, p *access.Principal) ([]string, error) {
	a, err := s.ownLocal(p)
	if err != nil {
		return nil, err
	}
	if !s.present.Access().HasFactor(a) {
		return nil, fault.New(fault.Conflict, "no-second-factor", "set one up first; its codes come with it", "%s has no "+
			"second factor", a.Name)
	}
	codes, hashes := factor.NewRecoveryCodes()
	return codes, s.store.SetRecovery(ctx, a.Name, hashes)
}

// Forget takes away all second factors of somebody who has lost them, and ends their sessions.
func (s *Room) Forget(ctx context.Context, p *access.Principal, called string) error {
	if err := access.Check(p, access.ManageAccounts); err != nil {
		return err
	}
	if _, err := s.store.ForgetFactors(ctx, called, p.Name); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}
