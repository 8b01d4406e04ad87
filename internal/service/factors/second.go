package factors

import (
	"context"
	"crypto/sha256"
	"slices"
	"strings"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/factor"
)

// ByPassword is the way of those who have no second factor, where they are asked again.
const ByPassword = "password"

// Ask asks for the second factor of somebody whose password was right.
func (s *Room) Ask(ctx context.Context, a access.Account) (*access.Step, error) {
	return s.step(ctx, forSignIn, a)
}

// step asks for an account's second factor.
func (s *Room) step(ctx context.Context, what string, a access.Account) (*access.Step, error) {
	list, err := s.store.Factors(ctx, a.Name)
	if err != nil {
		return nil, err
	}
	out := &access.Step{}
	t := ticket{For: what}
	keys, _, _ := s.passkeysOf(list) // those that cannot be opened are not asked for: recovery codes go on
	if s.passkeys.Off() != "" {
		keys = nil // the service has another address than when they were made
	}
	for _, f := range list {
		if way := string(f.Kind); !slices.Contains(out.Ways, way) && (f.Kind != access.Passkey || len(keys) > 0) {
			out.Ways = append(out.Ways, way)
		}
	}
	if len(keys) > 0 {
		if out.Passkey, t.Session, err = s.passkeys.Ask(a.Name, a.CreatedAt, keys); err != nil {
			return nil, err
		}
	}
	out.Ticket, err = s.ticketOf(t, a)
	return out, err
}

// factorName binds what is sealed of a factor to whose and what it is.
func factorName(f access.Factor) string {
	return stock.Sealed{Kind: stock.SealedFactor, Name: f.Account, Of: string(f.Kind)}.Under()
}

func (s *Room) openFactor(f access.Factor) (string, error) {
	return s.cfg.Seals.Open(factorName(f), f.Body)
}

// passkeysOf opens the passkeys among an account's factors; of says which each is. err is of one that cannot be opened,
// such as where the secret key was lost, and leaves that out.
func (s *Room) passkeysOf(list []access.Factor) (keys [][]byte, of []access.Factor, err error) {
	for _, f := range list {
		if f.Kind != access.Passkey {
			continue
		}
		body, e := s.openFactor(f)
		if e != nil {
			err = e
			continue
		}
		keys, of = append(keys, []byte(body)), append(of, f)
	}
	return keys, of, err
}

// SecondStep ends a sign-in that Ask has stopped.
func (s *Room) SecondStep(ctx context.Context, remote string, in access.Shown) (string, access.Principal, error) {
	t, a, err := s.take(in.Ticket, forSignIn)
	if err != nil {
		return "", access.Principal{}, err
	}
	if err := s.shown(ctx, remote, t, a, in); err != nil {
		return "", access.Principal{}, err
	}
	return s.cfg.Accounts.Open(ctx, remote, a)
}

// shown gives a fault unless what somebody shows is a second factor of an account. Each try is counted first: a code
// has six digits.
func (s *Room) shown(ctx context.Context, remote string, t ticket, a access.Account, in access.Shown) error {
	try, err := s.guard.Begin(ctx, name.Fold(a.Name), remote, s.now)
	if err != nil {
		return err
	}
	good, err := s.check(ctx, t, a, in)
	wrong := fault.Is(err, fault.Denied)
	try.End(good, err == nil || wrong, s.now())
	if good || err != nil && !wrong {
		return err
	}
	if e := s.store.AddEvent(ctx, event.Event{Kind: event.SignInBad, Subject: a.Name, Author: remote,
		Remote: remote}.Saying("The second step of a sign-in as {name} failed", "name",
		event.Person(words.OneLine(a.Name, 256)))); e != nil {
		return e
	}
	if err != nil {
		return err
	}
	return fault.New(fault.Unsigned, "second-step-wrong", "wait for the next code; each is taken once. Without your "+
		"device "+
		"take a recovery code", "the code is not right, or was taken already")
}

// check says whether somebody shows a second factor; a Denied fault says more of why not.
func (s *Room) check(ctx context.Context, t ticket, a access.Account, in access.Shown) (bool, error) {
	list, err := s.store.Factors(ctx, a.Name)
	if err != nil {
		return false, err
	}
	if len(in.Passkey) > 0 {
		return s.checkPasskey(ctx, t, a, list, in.Passkey)
	}
	code := strings.TrimSpace(in.Code)
	var sealed error // of one that cannot be opened
	for _, f := range list {
		if f.Kind != access.Code {
			continue
		}
		secret, err := s.openFactor(f)
		if err != nil {
			sealed = err
			continue
		}
		if step, ok := factor.CheckCode(secret, code, s.now()); ok {
			return s.store.UseFactor(ctx, f.ID, step, nil)
		}
	}
	if len(code) < 12 { // no recovery code
		return false, sealed
	}
	_, ok, err := s.store.UseRecovery(ctx, a.Name, factor.HashRecovery(code))
	return ok, err
}

// checkPasskey takes each challenge once: the ticket's time only grows.
func (s *Room) checkPasskey(ctx context.Context, t ticket, a access.Account, list []access.Factor,
	answer []byte) (bool, error) {
	keys, of, err := s.passkeysOf(list)
	if err != nil && len(keys) == 0 {
		return false, err
	}
	if t.Session == nil || len(keys) == 0 {
		return false, fault.New(fault.Denied, "passkey-wrong", "take one of the other ways", "no passkey was asked for")
	}
	i, body, err := s.passkeys.Check(a.Name, a.CreatedAt, keys, t.Session, answer)
	if err != nil {
		return false, err
	}
	sealed, err := s.cfg.Seals.Seal(factorName(of[i]), string(body))
	if err != nil {
		return false, err
	}
	return s.store.UseFactor(ctx, of[i].ID, t.Made.UnixMilli(), sealed)
}

// AskAgain says by what somebody at a console can show again who they are.
func (s *Room) AskAgain(ctx context.Context, p *access.Principal) (*access.Step, error) {
	a, err := s.atConsole(p)
	if err != nil {
		return nil, err
	}
	if s.present.Access().HasFactor(a) {
		return s.step(ctx, forProof, a)
	}
	out := &access.Step{Ways: []string{ByPassword}}
	out.Ticket, err = s.ticketOf(ticket{For: forProof}, a)
	return out, err
}

// ProveAgain takes what AskAgain asked for; secret is the session's.
func (s *Room) ProveAgain(ctx context.Context, p *access.Principal, remote, secret string, in access.Shown) error {
	a, err := s.atConsole(p)
	if err != nil {
		return err
	}
	t, of, err := s.take(in.Ticket, forProof)
	if err != nil {
		return err
	}
	switch {
	case of.Name != a.Name:
		return fault.New(fault.Denied, "ticket-over", "begin anew", "the first step was somebody else's")
	case s.present.Access().HasFactor(a):
		err = s.shown(ctx, remote, t, a, in)
	default:
		_, err = s.cfg.Accounts.CheckAccount(ctx, remote, remote, a.Name, in.Password)
	}
	if err != nil {
		return err
	}
	if err := s.store.ProveSession(ctx, sha256.Sum256([]byte(secret)), s.now()); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}

// Proven gives a fault where somebody at a console is to show again who they are.
func (s *Room) Proven(p *access.Principal) error {
	if p == nil {
		return access.Check(p, access.OwnFactors)
	}
	return access.CheckProven(p, s.now(), s.present.View().Document().ProofLasts())
}

// atConsole gives the account of somebody at a console: a token shows who it is each time, and sets up nothing.
func (s *Room) atConsole(p *access.Principal) (access.Account, error) {
	if err := access.Check(p, access.OwnFactors); err != nil {
		return access.Account{}, err
	}
	a, ok := s.present.Access().Accounts[p.Account]
	if p.Token || !ok {
		return a, fault.New(fault.Denied, "console-only", "do it at the console", "this is done by somebody who has signed "+
			"in with a name, and %s came with a token", p.Name)
	}
	return a, nil
}
