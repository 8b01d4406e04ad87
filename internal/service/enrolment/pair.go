package enrolment

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"

	"cirque/core/access"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/service/tries"
)

// Pairs keeps machines that ask to be let in by a code.
type Pairs interface {
	// AddPairing keeps one; a TooMany fault where too many wait, of all or from its place.
	AddPairing(ctx context.Context, p access.Pairing, place string) error
	// Pairing gives one by its ticket, PairingBy the one that shows a code, an Unknown fault where there is none.
	Pairing(ctx context.Context, ticket [32]byte) (access.Pairing, error)
	PairingBy(ctx context.Context, code string) (access.Pairing, error)
	// ShowPairing sets the code that its machine shows.
	ShowPairing(ctx context.Context, ticket [32]byte, code string) error
	// LetPairing lets a machine in by a token, which is made; a Conflict fault where it does not wait.
	LetPairing(ctx context.Context, p access.Pairing, token access.EnrolToken) error
}

// A Paired is what a machine is told when it asks to be let in by a code.
type Paired struct {
	Ticket    string // with which it goes on; kept nowhere
	Authority string // the fingerprint of the authority by which machines know this service
	access.Pairing
}

// Pair has a machine ask to be let in by a code. Anybody may; it waits, and nothing is recorded of it.
func (s *Room) Pair(ctx context.Context, want access.Pairing) (Paired, error) {
	if s.cfg.Authority == nil {
		return Paired{}, noAuthority()
	}
	if !name.Valid(want.Machine) || len(want.Machine) > 255 {
		return Paired{}, access.NoMachineName(want.Machine)
	}
	ticket := rand.Text()
	want.Ticket, want.Nonce = sha256.Sum256([]byte(ticket)), rand.Text()
	want.At = s.now()
	want.EndsAt = want.At.Add(access.PairLasts)
	return Paired{ticket, s.cfg.Authority.Fingerprint(), want}, s.pairs.AddPairing(ctx, want, tries.PlaceOf(want.Remote))
}

// ShowPairing takes the nonce that a machine has committed to, from which both work out the code.
func (s *Room) ShowPairing(ctx context.Context, ticket, nonce string) error {
	p, err := s.pairing(ctx, ticket)
	if err != nil {
		return err
	}
	if access.CommitTo(nonce) != p.Commitment || p.Code != "" {
		return fault.New(fault.Denied, "pair-commitment", "begin anew", "that is not the number which the machine has "+
			"committed to, or it was shown before")
	}
	return s.pairs.ShowPairing(ctx, p.Ticket, access.PairCode(p.Machine, p.Request, s.cfg.Authority.Fingerprint(),
		nonce, p.Nonce))
}

func (s *Room) pairing(ctx context.Context, ticket string) (access.Pairing, error) {
	if s.cfg.Authority == nil {
		return access.Pairing{}, noAuthority()
	}
	p, err := s.pairs.Pairing(ctx, sha256.Sum256([]byte(ticket)))
	if fault.Is(err, fault.Unknown) {
		err = fault.New(fault.Denied, "pair-over", "begin anew: cirque-agent enrol --pair", "the code of this machine has "+
			"ended")
	}
	p.State = p.StateAt(s.now())
	return p, err
}

// ClaimPairing gives a machine its certificate once it was let in; waits says that it was not yet.
func (s *Room) ClaimPairing(ctx context.Context, ticket, remote string) (out Enrolling, waits bool, err error) {
	p, err := s.pairing(ctx, ticket)
	if err != nil {
		return out, false, err
	}
	switch p.State {
	case access.PairWaiting:
		return out, true, nil
	case access.PairLetIn:
		out, err = s.admit(ctx, access.EnrolToken{ID: p.Token, Name: pairedBy(p), Site: p.Site},
			Enrolment{Machine: p.Machine, Request: p.Request, Addresses: p.Addresses, Remote: remote, Follows: p.Follows})
		return out, false, s.record(ctx, p.Machine, remote, err)
	}
	return out, false, fault.New(fault.Denied, "pair-over", "begin anew: cirque-agent enrol --pair",
		"nobody typed the code %s in time, or it has been used", access.ShownCode(p.Code))
}

// pairedBy names the token by which a pairing lets its machine in.
func pairedBy(p access.Pairing) string { return "code " + access.ShownCode(p.Code) }

// PairingBy gives the machine that shows a code, as somebody types it.
func (s *Room) PairingBy(ctx context.Context, p *access.Principal, typed string) (access.Pairing, error) {
	if err := access.Check(p, access.Enrol); err != nil {
		return access.Pairing{}, err
	}
	code, err := access.ReadCode(typed)
	if err != nil {
		return access.Pairing{}, err
	}
	out, err := s.pairs.PairingBy(ctx, code)
	if err != nil {
		return out, err
	}
	out.State = out.StateAt(s.now())
	out.Site = cmp.Or(out.Site, s.stands(s.present.View().MachineName(out.Machine), out.Remote, out.Addresses))
	return out, access.CheckAt(p, access.Enrol, out.Site, "the machine "+out.Machine)
}

// LetPairing lets the machine in that shows a code, under its own name or the one that it is given, at the site where
// it stands or the one that is named.
func (s *Room) LetPairing(ctx context.Context, p *access.Principal, typed, machine, site string) (access.Pairing,
	error) {
	out, err := s.PairingBy(ctx, p, typed)
	if err != nil {
		return out, err
	}
	if out.State != access.PairWaiting {
		return out, fault.New(fault.Conflict, "pair-over", "have the machine show another: cirque-agent enrol --pair",
			"the code %s has been used, or has ended", access.ShownCode(out.Code))
	}
	stands := out.Site
	out.Machine, out.Site = cmp.Or(machine, out.Machine), cmp.Or(site, out.Site)
	token := access.EnrolToken{Name: pairedBy(out), Site: out.Site, Uses: 1, ExpiresAt: out.EndsAt, Author: p.Name}
	if err := access.ValidEnrolToken(token, s.now(), s.present.View().Document().HasSite); err != nil {
		return out, err
	}
	if !name.Valid(out.Machine) || len(out.Machine) > 255 {
		return out, access.NoMachineName(out.Machine)
	}
	if err := access.CheckAt(p, access.Enrol, out.Site, "the machine "+out.Machine); err != nil {
		return out, err
	}
	called := s.present.View().MachineName(out.Machine)
	if machine != "" { // under another name it may be known to stand elsewhere
		stands = cmp.Or(s.stands(called, out.Remote, out.Addresses), stands)
	}
	if _, err := fits(token, called, out.Machine, stands); err != nil {
		return out, err
	}
	last, ok, err := s.store.LastEnrolled(ctx, called)
	if err != nil {
		return out, err
	}
	if ok && last.RevokedAt == nil && s.now().Before(last.ExpiresAt) {
		return out, access.EnrolledAlready(last.Machine, last.At)
	}
	out.Machine, out.State, out.By, out.ByAt = called, access.PairLetIn, p.Name, new(s.now())
	_, _ = rand.Read(token.Hash[:]) // nobody has what it would be of
	return out, s.pairs.LetPairing(ctx, out, token)
}
