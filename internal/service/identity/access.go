package identity

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"slices"
	"strings"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
)

// SessionLasts is how long a console session lasts.
const SessionLasts = 12 * time.Hour

// tokenPrefix makes a token recognisable when it lies where it should not.
const tokenPrefix = "cirque_"

// NeedsSetUp says whether the first account is still to be made.
func (s *Room) NeedsSetUp() bool { return len(s.present.Access().Accounts) == 0 }

// SetUp makes the first account with the one-time code, and signs in.
func (s *Room) SetUp(ctx context.Context, remote, code, called, password string) (string, access.Principal, error) {
	try, err := s.guard.Begin(ctx, "set-up code", remote, s.now)
	if err != nil {
		return "", access.Principal{}, err
	}
	guessed := false
	defer func() { try.End(false, guessed, s.now()) }()
	var want string
	ok := false
	if s.cfg.SetupCode != nil {
		want, ok = s.cfg.SetupCode()
	}
	if !s.NeedsSetUp() || !ok {
		return "", access.Principal{}, fault.New(fault.Conflict, "already-set-up", "sign in instead",
			"the first account has been made already")
	}
	if subtle.ConstantTimeCompare([]byte(strings.TrimSpace(code)), []byte(want)) != 1 {
		guessed = true
		return "", access.Principal{}, fault.New(fault.Denied, "setup-code-wrong", "copy it from the file setup-code in "+
			"the data directory", "the set-up code is not right")
	}
	if err := checkNewAccount(called, password); err != nil {
		return "", access.Principal{}, err
	}
	hash, err := s.hashPassword(ctx, password)
	if err != nil {
		return "", access.Principal{}, err
	}
	if err := s.store.AddFirstAccount(ctx, access.Account{Name: called, Role: access.Owner, Password: hash}); err != nil {
		return "", access.Principal{}, err
	}
	if s.cfg.SetupDone != nil {
		s.cfg.SetupDone()
	}
	return s.Open(ctx, remote, access.Account{Name: called, Role: access.Owner})
}

// Open makes a session for whoever has proven to be an account; remote is the address from which it is opened.
func (s *Room) Open(ctx context.Context, remote string, a access.Account) (string, access.Principal, error) {
	p := s.principal(a)
	if p == nil {
		return "", access.Principal{}, fault.New(fault.Denied, "account-unread", "wait until the directory has been read, "+
			"or look at its source", "%s is not in the directory as it was last read", a.Name)
	}
	secret := rand.Text()
	lasts := SessionLasts
	if a.Emergency {
		lasts = emergencyLasts
	}
	ses := access.Session{Hash: sha256.Sum256([]byte(secret)), Account: a.Name, Remote: remote,
		ExpiresAt: s.now().Add(lasts), ProvenAt: s.now()}
	if err := s.cfg.Tokens.AddSession(ctx, ses); err != nil {
		return "", *p, err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return secret, *p, nil
}

// SignOut ends a session.
func (s *Room) SignOut(ctx context.Context, secret string) error {
	if err := s.cfg.Tokens.EndSession(ctx, sha256.Sum256([]byte(secret))); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}

// Sessions lists the console sessions that are open, the latest first: all, or one's own where one may not see the
// others.
func (s *Room) Sessions(_ context.Context, p *access.Principal) ([]access.Session, error) {
	all := p.May(access.ReadAccess)
	if err := access.Check(p, access.OwnToken); err != nil && !all {
		return nil, err
	}
	state := s.present.Access()
	out := []access.Session{}
	for _, ses := range state.Sessions {
		a, ok := state.Accounts[ses.Account]
		ses.Own = p.Account != "" && ses.Account == p.Account
		if !ok || !s.now().Before(ses.ExpiresAt) || !all && !ses.Own {
			continue
		}
		ses.Account = a.Name
		if here := s.sessions.lately(ses.ID); here.After(ses.UsedAt) {
			ses.UsedAt = here
		}
		out = append(out, ses)
	}
	slices.SortFunc(out, func(a, b access.Session) int { return cmp.Compare(b.ID, a.ID) })
	return out, nil
}

// RevokeSession ends a session: one's own, or anybody's.
func (s *Room) RevokeSession(ctx context.Context, p *access.Principal, id int64) error {
	list, err := s.Sessions(ctx, p)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(list, func(v access.Session) bool { return v.ID == id && v.Own }) {
		if err := access.Check(p, access.EndSessions); err != nil {
			return err
		}
	}
	if err := s.cfg.Tokens.RevokeSession(ctx, id, p.Name); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}

// BySession finds whose a console session is; nil for nobody's, and for one that has ended or lain unused for too long.
func (s *Room) BySession(secret string) *access.Principal {
	ses, ok := s.session(secret)
	if !ok {
		return nil
	}
	return s.in(ses)
}

// in gives what whoever has a session may do now; nil where their account is gone.
func (s *Room) in(ses access.Session) *access.Principal {
	a, ok := s.present.Access().Accounts[ses.Account]
	if !ok {
		return nil
	}
	p := s.principal(a)
	if p != nil {
		p.Proven = ses.ProvenAt
	}
	return p
}

func (s *Room) session(secret string) (access.Session, bool) {
	ses, ok := s.present.Access().Sessions[sha256.Sum256([]byte(secret))]
	return ses, ok && s.now().Before(ses.ExpiresAt)
}

// UseSession is BySession of somebody who did something in it, so long ago. It ends a session that nobody has used for
// longer than the estate allows; what another process has seen of it counts too.
func (s *Room) UseSession(ctx context.Context, secret string, ago time.Duration) *access.Principal {
	ses, ok := s.session(secret)
	if !ok {
		return nil
	}
	now, idle := s.now(), s.present.View().Document().SessionIdle()
	used := ses.UsedAt
	if here := s.sessions.lately(ses.ID); here.After(used) {
		used = here
	}
	if now.Sub(used) > idle {
		ended, err := s.cfg.Tokens.EndIdle(ctx, ses.ID, now.Add(-idle), int(idle/time.Minute))
		if err != nil || ended {
			s.present.Show(ctx, event.Signal{What: event.Access})
			return nil
		}
	}
	s.sessions.note(ses.ID, now.Add(-ago))
	return s.in(ses)
}

// ByToken finds whose a token is; nil for nobody's.
func (s *Room) ByToken(token string) *access.Principal {
	t, ok := s.present.Access().Tokens[sha256.Sum256([]byte(token))]
	if !ok || t.Ended(s.now()) {
		return nil
	}
	p := &access.Principal{Name: t.Name, Role: t.Role, Sites: t.Sites, Machine: t.Machine, Token: true}
	if t.Account != "" {
		a, ok := s.present.Access().Accounts[t.Account]
		if !ok {
			return nil
		}
		if p = s.principal(a); p == nil {
			return nil
		}
		p.Token = true
	}
	s.used.note(t.ID, s.now())
	return p
}

// ByBasic takes a name and password, as IPP clients send them: those of a person's account, or the name of the person
// for whom an agent prints with the agent's token.
func (s *Room) ByBasic(ctx context.Context, remote, called, password string) (*access.Principal, error) {
	if p := s.ByToken(password); p != nil {
		p.For = called
		return p, nil
	}
	a, err := s.CheckAccount(ctx, remote, remote, called, password)
	if err != nil {
		return nil, err
	}
	p := s.principal(a)
	if p != nil && (a.Emergency || p.Owes || s.present.Access().HasFactor(a)) {
		return nil, fault.New(fault.Denied, "password-alone", "print with a token of your own in place of the password: "+
			"cirque sign-in URL --name NAME, or the page Access", "the password alone does not let %s in here", a.Name)
	}
	return p, nil
}

// MakeToken makes a token by its name, role, machine and end, and gives its secret, which is kept nowhere. p nil stands
// for somebody beside the data.
func (s *Room) MakeToken(ctx context.Context, p *access.Principal, want access.Token) (access.Token, string, error) {
	if err := access.Check(p, access.ManageTokens); err != nil {
		return access.Token{}, "", err
	}
	if err := access.CheckGives(p, access.Holding{Role: want.Role, Sites: want.Sites}); err != nil {
		return access.Token{}, "", err
	}
	return s.addToken(ctx, p, want)
}

// ownTokensMost is how many tokens somebody may have for themselves.
const ownTokensMost = 50

// MakeOwnToken makes a token that may what its maker may, and ends with their account.
func (s *Room) MakeOwnToken(ctx context.Context, p *access.Principal, called string, ends *time.Time) (access.Token,
	string, error) {
	if err := access.Check(p, access.OwnToken); err != nil {
		return access.Token{}, "", err
	}
	if p.Account == "" {
		return access.Token{}, "", fault.New(fault.Denied, "no-account", "sign in with a name and password",
			"%s is a token that is nobody's own", p.Name)
	}
	if a := s.present.Access().Accounts[p.Account]; a.Emergency {
		return access.Token{}, "", fault.New(fault.Denied, "account-emergency", "make an account of your own first", "the "+
			"account for emergencies has no tokens: they would outlast the emergency")
	}
	list, err := s.cfg.Tokens.Tokens(ctx)
	if err != nil {
		return access.Token{}, "", err
	}
	own := 0
	for _, t := range list {
		if t.Account == p.Account && !t.Ended(s.now()) {
			own++
		}
	}
	if own >= ownTokensMost {
		return access.Token{}, "", fault.New(fault.TooMany, "tokens-many", "revoke some: cirque token list, cirque token "+
			"revoke NAME", "%s has %d tokens of their own already", p.Name, own)
	}
	return s.addToken(ctx, p, access.Token{Name: called, Account: p.Account, ExpiresAt: ends})
}

func (s *Room) addToken(ctx context.Context, p *access.Principal, want access.Token) (access.Token, string, error) {
	want.Author = p.Name
	t, secret, err := AddToken(ctx, s.cfg.Tokens, want, s.now(), s.present.View().Document().HasSite)
	if err != nil {
		return t, "", err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return t, secret, nil
}

// AddToken makes a token straight in a store, for whoever has the data in hand.
func AddToken(ctx context.Context, store interface {
	AddToken(context.Context, access.Token) (access.Token, error)
}, want access.Token, now time.Time, site func(string) bool) (access.Token, string, error) {
	if err := access.ValidToken(want, now, site); err != nil {
		return access.Token{}, "", err
	}
	secret := tokenPrefix + rand.Text()
	want.Hash = sha256.Sum256([]byte(secret))
	t, err := store.AddToken(ctx, want)
	return t, secret, err
}

// Tokens lists tokens: all, or one's own where one may not see the others.
func (s *Room) Tokens(ctx context.Context, p *access.Principal) ([]access.Token, error) {
	all := p.May(access.ReadAccess)
	if err := access.Check(p, access.OwnToken); err != nil && !all {
		return nil, err
	}
	list, err := s.cfg.Tokens.Tokens(ctx)
	if !all {
		list = slices.DeleteFunc(list, func(t access.Token) bool { return p.Account == "" || t.Account != p.Account })
	}
	for i, t := range list {
		if here := s.used.lately(t.ID); t.UsedAt == nil && !here.IsZero() || t.UsedAt != nil && here.After(*t.UsedAt) {
			list[i].UsedAt = &here
		}
	}
	return list, err
}

// RenewToken gives a token another secret, such as where the first was lost with its answer; the old one ends at once.
// A token that may what its maker may is renewed by them alone: its secret would be theirs.
func (s *Room) RenewToken(ctx context.Context, p *access.Principal, called string) (t access.Token, secret string,
	err error) {
	list, err := s.Tokens(ctx, p)
	if err != nil {
		return t, "", err
	}
	i := slices.IndexFunc(list, func(t access.Token) bool { return t.Name == called })
	if i < 0 {
		return t, "", fault.New(fault.Unknown, "token-unknown", "see cirque token list", "there is no token %q", called)
	}
	t = list[i]
	switch {
	case t.Account == "":
		if err := access.Check(p, access.ManageTokens); err != nil {
			return t, "", err
		}
		err = access.CheckGives(p, access.Holding{Role: t.Role, Sites: t.Sites})
	case p.Account != t.Account:
		err = fault.New(fault.Denied, "not-your-token", "have "+t.Account+" renew it, or revoke it", "the token %s may what "+
			"%s may, and only they renew it", called, t.Account)
	}
	if err != nil {
		return t, "", err
	}
	secret = tokenPrefix + rand.Text()
	if err := s.cfg.Tokens.RenewToken(ctx, t.ID, sha256.Sum256([]byte(secret)), p.Name); err != nil {
		return t, "", err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return t, secret, nil
}

// RevokeToken ends a token.
func (s *Room) RevokeToken(ctx context.Context, p *access.Principal, called string) error {
	if !p.May(access.ManageTokens) {
		list, err := s.Tokens(ctx, p)
		if err != nil {
			return err
		}
		if p.Account == "" || !slices.ContainsFunc(list, func(t access.Token) bool {
			return t.Name == called && t.Account == p.Account
		}) {
			return access.Check(p, access.ManageTokens)
		}
	}
	if err := s.cfg.Tokens.RevokeToken(ctx, called, p.Name); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Access})
	return nil
}
