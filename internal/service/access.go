package service

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/name"
	"cirque/internal/fault"
)

// SessionLasts is how long a console session lasts.
const SessionLasts = 12 * time.Hour

// tokenPrefix makes a token recognisable when it lies where it should not.
const tokenPrefix = "cirque_"

// NeedsSetUp says whether the first account is still to be made.
func (s *Service) NeedsSetUp() bool { return len(s.access.Load().Accounts) == 0 }

// SetUp makes the first account with the one-time code, and signs in.
func (s *Service) SetUp(ctx context.Context, remote, code, called, password string) (string, access.Principal, error) {
	if err := s.slow.check("set-up "+remote, s.now()); err != nil {
		return "", access.Principal{}, err
	}
	var want string
	ok := false
	if s.cfg.SetupCode != nil {
		want, ok = s.cfg.SetupCode()
	}
	if !s.NeedsSetUp() || !ok {
		return "", access.Principal{}, fault.New(fault.Conflict, "already-set-up", "sign in instead", "the first account has been made already")
	}
	if subtle.ConstantTimeCompare([]byte(strings.TrimSpace(code)), []byte(want)) != 1 {
		s.slow.failed("set-up "+remote, s.now())
		return "", access.Principal{}, fault.New(fault.Denied, "setup-code-wrong", "copy it from the file setup-code in the data directory", "the set-up code is not right")
	}
	if err := checkNewAccount(called, password); err != nil {
		return "", access.Principal{}, err
	}
	hash, err := s.hashPassword(ctx, password)
	if err != nil {
		return "", access.Principal{}, err
	}
	if err := s.store.AddFirstAccount(ctx, access.Account{Name: called, Role: access.Administrator, Password: hash}); err != nil {
		return "", access.Principal{}, err
	}
	if s.cfg.SetupDone != nil {
		s.cfg.SetupDone()
	}
	return s.open(ctx, access.Principal{Name: called, Role: access.Administrator})
}

// MinPassword is the shortest password taken, in characters (NIST SP 800-63B asks for length, not for kinds of character).
const MinPassword = 12

func checkNewAccount(called, password string) error {
	if !name.Valid(called) || strings.TrimSpace(called) != called || strings.Contains(called, ":") {
		return fault.New(fault.Invalid, "account-name", "write a name without colons, control characters and outer spaces", "%q is no name for an account", called)
	}
	if n := utf8.RuneCountInString(password); n < MinPassword || len(password) > 1024 {
		return fault.New(fault.Invalid, "password-short", fmt.Sprintf("write at least %d characters", MinPassword), "the password has %d characters", n)
	}
	return nil
}

// SignIn gives a session's secret for a name and password. Failures are slowed down for the name and for where they come from.
func (s *Service) SignIn(ctx context.Context, remote, called, password string) (string, access.Principal, error) {
	p, err := s.checkAccount(ctx, remote, called, password)
	if err != nil {
		return "", p, err
	}
	return s.open(ctx, p)
}

// decoy is checked where no account is found, so that the answer takes as long.
const decoy = "$argon2id$v=19$m=65536,t=3,p=2$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

func (s *Service) checkAccount(ctx context.Context, remote, called, password string) (access.Principal, error) {
	keys := []string{"name " + name.Fold(called), "from " + remote}
	for _, k := range keys {
		if err := s.slow.check(k, s.now()); err != nil {
			return access.Principal{}, err
		}
	}
	account, known := s.access.Load().Accounts[name.Fold(called)]
	hash := account.Password
	if !known {
		hash = decoy
	}
	ok, err := s.checkPassword(ctx, password, hash)
	if err != nil {
		return access.Principal{}, err
	}
	if !ok || !known {
		for _, k := range keys {
			s.slow.failed(k, s.now())
		}
		if err := s.store.AddEvent(ctx, event.Event{Kind: event.SignInBad, Subject: called, Author: remote, Says: "A sign-in as " + called + " failed"}); err != nil {
			s.log.Warn("a failed sign-in could not be recorded", "error", err)
		}
		return access.Principal{}, fault.New(fault.Unsigned, "sign-in-wrong", "check both, and the caps lock key", "the name or the password is not right")
	}
	s.slow.forget(keys...)
	return access.Principal{Name: account.Name, Role: account.Role}, nil
}

// open makes a session.
func (s *Service) open(ctx context.Context, p access.Principal) (string, access.Principal, error) {
	secret := rand.Text()
	ses := access.Session{Hash: sha256.Sum256([]byte(secret)), Account: p.Name, ExpiresAt: s.now().Add(SessionLasts)}
	if err := s.store.AddSession(ctx, ses); err != nil {
		return "", p, err
	}
	return secret, p, s.refresh(ctx, event.Access)
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, secret string) error {
	if err := s.store.EndSession(ctx, sha256.Sum256([]byte(secret))); err != nil {
		return err
	}
	return s.refresh(ctx, event.Access)
}

// BySession finds who has a session; nil for nobody.
func (s *Service) BySession(secret string) *access.Principal {
	state := s.access.Load()
	ses, ok := state.Sessions[sha256.Sum256([]byte(secret))]
	if !ok || !s.now().Before(ses.ExpiresAt) {
		return nil
	}
	a, ok := state.Accounts[ses.Account]
	if !ok {
		return nil
	}
	return &access.Principal{Name: a.Name, Role: a.Role}
}

// ByToken finds whose a token is; nil for nobody's.
func (s *Service) ByToken(token string) *access.Principal {
	t, ok := s.access.Load().Tokens[sha256.Sum256([]byte(token))]
	if !ok {
		return nil
	}
	s.used.note(t.ID, s.now())
	return &access.Principal{Name: t.Name, Role: t.Role, Machine: t.Machine, Token: true}
}

// ByBasic takes a name and password, as IPP clients send them: those of a person's account, or the name of the person for
// whom an agent prints with the agent's token.
func (s *Service) ByBasic(ctx context.Context, remote, called, password string) (*access.Principal, error) {
	if p := s.ByToken(password); p != nil {
		p.For = called
		return p, nil
	}
	p, err := s.checkAccount(ctx, remote, called, password)
	if err != nil {
		return nil, err
	}
	return &p, nil
}

// MakeToken makes a token and gives its secret, which is kept nowhere. p nil stands for somebody beside the data.
func (s *Service) MakeToken(ctx context.Context, p *access.Principal, called string, role access.Role, machine string) (access.Token, string, error) {
	if err := access.Check(p, access.ManageTokens); err != nil {
		return access.Token{}, "", err
	}
	t, secret, err := AddToken(ctx, s.store, p.Name, called, role, machine)
	if err != nil {
		return t, "", err
	}
	return t, secret, s.refresh(ctx, event.Access)
}

// AddToken makes a token straight in a store, for whoever has the data in hand.
func AddToken(ctx context.Context, store interface {
	AddToken(context.Context, access.Token) (access.Token, error)
}, author, called string, role access.Role, machine string) (access.Token, string, error) {
	if err := access.ValidToken(called, role, machine); err != nil {
		return access.Token{}, "", err
	}
	secret := tokenPrefix + rand.Text()
	t, err := store.AddToken(ctx, access.Token{Name: called, Role: role, Machine: machine, Author: author, Hash: sha256.Sum256([]byte(secret))})
	return t, secret, err
}

// Tokens lists tokens.
func (s *Service) Tokens(ctx context.Context, p *access.Principal) ([]access.Token, error) {
	if err := access.Check(p, access.ManageTokens); err != nil {
		return nil, err
	}
	return s.store.Tokens(ctx)
}

// RevokeToken ends a token.
func (s *Service) RevokeToken(ctx context.Context, p *access.Principal, called string) error {
	if err := access.Check(p, access.ManageTokens); err != nil {
		return err
	}
	if err := s.store.RevokeToken(ctx, called, p.Name); err != nil {
		return err
	}
	return s.refresh(ctx, event.Access)
}

// usedTokens gathers when tokens were used, so that the database hears of it now and then rather than at every call.
type usedTokens struct {
	mu sync.Mutex
	at map[int64]time.Time // guarded by mu
}

func (u *usedTokens) note(id int64, at time.Time) {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.at[id] = at
}

func (u *usedTokens) take() map[int64]time.Time {
	u.mu.Lock()
	defer u.mu.Unlock()
	out := u.at
	u.at = map[int64]time.Time{}
	return out
}

func (s *Service) keepUsed(ctx context.Context) {
	tick := time.NewTicker(30 * time.Second)
	defer tick.Stop()
	for {
		last := false
		select {
		case <-ctx.Done():
			last = true
		case <-tick.C:
		}
		if used := s.used.take(); len(used) > 0 {
			write, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			if err := s.store.TouchTokens(write, used); err != nil {
				s.log.Warn("the use of tokens could not be noted", "error", err)
			}
			cancel()
		}
		if last {
			return
		}
	}
}

// slowdown makes repeated failures wait: nothing for the first three, then twice as long each time.
type slowdown struct {
	mu       sync.Mutex
	failures map[string]failure // guarded by mu
}

type failure struct {
	count int
	until time.Time
}

const (
	freeFailures = 3
	longestWait  = 5 * time.Minute
	mostFailures = 10000 // entries kept
)

func (s *slowdown) check(key string, now time.Time) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if wait := s.failures[key].until.Sub(now); wait > 0 {
		seconds := int(wait/time.Second) + 1
		return fault.New(fault.TooMany, "sign-in-slowed", fmt.Sprintf("try again in %d seconds", seconds), "too many sign-ins have failed")
	}
	return nil
}

func (s *slowdown) failed(key string, now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.failures) >= mostFailures {
		for k, f := range s.failures {
			if now.After(f.until) {
				delete(s.failures, k)
			}
		}
	}
	f := s.failures[key]
	f.count++
	if over := f.count - freeFailures; over >= 0 {
		f.until = now.Add(min(time.Second<<min(over, 10), longestWait))
	}
	s.failures[key] = f
}

func (s *slowdown) forget(keys ...string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, k := range keys {
		delete(s.failures, k)
	}
}
