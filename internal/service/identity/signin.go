package identity

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/password"
	"cirque/core/words"
	"cirque/internal/service/worker"
)

// MinPassword is the shortest password taken, in characters (NIST SP 800-63B asks for length, not for kinds of
// character).
const MinPassword = 12

func checkNewAccount(called, secret string) error {
	if !name.Valid(called) || strings.TrimSpace(called) != called || strings.ContainsAny(called, ":/") {
		return fault.New(fault.Invalid, "account-name", "write a name without colons, slashes, control characters and "+
			"outer spaces", "%q is no name for an account", called)
	}
	if n := utf8.RuneCountInString(secret); n < MinPassword || len(secret) > 1024 {
		return fault.New(fault.Invalid, "password-short", fmt.Sprintf("write at least %d characters", MinPassword),
			"the password has %d characters", n)
	}
	if why := password.Weak(called, secret); why != "" {
		return fault.New(fault.Invalid, "password-weak", "take several words that do not go together, or have one made up",
			"the password cannot be taken: %s", why)
	}
	return nil
}

// A proof is what somebody shows for who they are: a name and a password. OpenID Connect will show something else.
type proof struct{ name, password string }

// A way is one way of proving who one is. It gives the account that somebody has proven to be; ok is false where the
// proof is not good here; err is for what broke. knows is asked first, so that a way that has nothing to say of
// somebody costs nothing.
type way interface {
	knows(p proof) bool
	prove(ctx context.Context, p proof) (a access.Account, ok bool, err error)
}

// ways are asked in turn until one knows the name: the accounts that are kept here, then each directory whose people
// may sign in. Whoever writes SOURCE/NAME means that directory.
func (s *Room) ways(ctx context.Context) ([]way, error) {
	out := []way{localWay{s}}
	if s.cfg.Dir == nil {
		return out, nil
	}
	list, sealed, err := s.store.Sources(ctx)
	if err != nil {
		return nil, err
	}
	for _, v := range list {
		if v.SignIn {
			out = append(out, ldapWay{s, v, sealed[v.Name]})
		}
	}
	return out, nil
}

// localWay knows the accounts with a password here.
type localWay struct{ s *Room }

func (w localWay) knows(p proof) bool {
	a, ok := w.s.present.Access().Accounts[name.Fold(p.name)]
	return ok && a.Source == ""
}

func (w localWay) prove(ctx context.Context, p proof) (access.Account, bool, error) {
	a, known := w.s.present.Access().Accounts[name.Fold(p.name)]
	hash := a.Password
	if !known || a.Source != "" {
		hash, known = w.s.cfg.decoy(), false
	}
	ok, err := w.s.checkPassword(ctx, p.password, hash)
	return a, ok && known, err
}

// ldapWay knows the people of a directory, and has it check their password (RFC 4513, section 5.1.3).
type ldapWay struct {
	s      *Room
	source directory.Source
	sealed []byte
}

func (w ldapWay) name(p proof) (string, bool) {
	source, called, of := strings.Cut(p.name, "/")
	if !of {
		return p.name, true
	}
	return called, name.Fold(source) == name.Fold(w.source.Name)
}

func (w ldapWay) knows(p proof) bool {
	called, mine := w.name(p)
	if !mine {
		return false
	}
	_, ok := w.s.present.View().World.Directory.UserOf(w.source.Name, called)
	return ok
}

func (w ldapWay) prove(ctx context.Context, p proof) (access.Account, bool, error) {
	called, _ := w.name(p)
	word, err := w.s.cfg.Passwords.SourcePassword(w.source, w.sealed)
	if err != nil {
		return access.Account{}, false, err
	}
	e, ok, err := w.s.cfg.Dir.SignInLDAP(ctx, w.source, word, called, p.password)
	if err != nil || !ok {
		if f := fault.As(err); f != nil && f.Kind == fault.Denied { // Cirque's own account is refused there, not the person
			f.Kind = fault.Unavailable
			err = f
		}
		return access.Account{}, false, err
	}
	a := access.Account{Name: w.source.Name + "/" + e.Name, Source: w.source.Name, ExternalID: e.ID}
	if err := w.s.store.MeetAccount(ctx, a); err != nil {
		return a, false, err
	}
	w.s.present.Show(ctx, event.Signal{What: event.Access})
	return a, true, nil
}

// SignIn gives a session's secret for a name and password; or, where the account has a second factor, what is asked for
// next, and no session.
func (s *Room) SignIn(ctx context.Context, remote, called, password string) (string, access.Principal, *access.Step,
	error) {
	a, err := s.CheckAccount(ctx, remote, remote, called, password)
	if err != nil {
		return "", access.Principal{}, nil, err
	}
	if s.present.Access().HasFactor(a) {
		next, err := s.cfg.AskSecond(ctx, a)
		return "", access.Principal{}, next, err
	}
	if a.Emergency {
		if err := s.store.OpenEmergency(ctx, a.Name, remote); err != nil {
			return "", access.Principal{}, nil, err // what nobody hears of does not happen
		}
		s.log.Warn("the account for emergencies is used", "remote", remote)
	}
	secret, p, err := s.Open(ctx, remote, a)
	return secret, p, nil, err
}

// CheckAccount finds who somebody proves to be. Each try is counted before it is looked at, for the name and for where
// it is made: a console's address, or a machine.
func (s *Room) CheckAccount(ctx context.Context, remote, where, called, password string) (access.Account, error) {
	try, err := s.guard.Begin(ctx, name.Fold(called), where, s.now)
	if err != nil {
		return access.Account{}, err
	}
	begun := time.Now()
	a, ok, err := s.prove(ctx, proof{called, password})
	try.End(ok, err == nil, s.now())
	if err != nil || ok {
		return a, err
	}
	if err := s.store.AddEvent(ctx, event.Event{Kind: event.SignInBad, Subject: words.OneLine(called, 256), Author: where,
		Remote: remote}.Saying("A sign-in as {name} failed", "name", event.Person(words.OneLine(called, 256)))); err != nil {
		return access.Account{}, err // what nobody can see afterwards is not answered either
	}
	s.level(ctx, begun)
	return access.Account{}, fault.New(fault.Unsigned, "sign-in-wrong", "check both, and the caps lock key",
		"the name or the password is not right")
}

// prove asks the way that knows a name; an unknown one costs what a known one does.
func (s *Room) prove(ctx context.Context, p proof) (access.Account, bool, error) {
	var chosen way = localWay{s}
	if !chosen.knows(p) {
		all, err := s.ways(ctx)
		if err != nil {
			return access.Account{}, false, err
		}
		if i := slices.IndexFunc(all, func(w way) bool { return w.knows(p) }); i >= 0 {
			chosen = all[i]
		}
	}
	return chosen.prove(ctx, p)
}

// levelAt is how long a refusal takes at least where directories are asked: longer than they usually take, so that
// nobody reads from the time whether one of them knows a name.
const levelAt = time.Second

// level waits until a refusal has taken as long as any.
func (s *Room) level(ctx context.Context, begun time.Time) {
	if len(s.present.Access().Signing) > 0 {
		worker.Pause(ctx, levelAt-time.Since(begun))
	}
}

// principal says what an account may do now; nil for one of a directory that has no such person any more, or whose
// people may sign in no longer.
func (s *Room) principal(a access.Account) *access.Principal {
	p := &access.Principal{Name: a.Name, Role: a.Role, Sites: a.Sites, User: a.User(), Account: name.Fold(a.Name)}
	if a.Source == "" {
		p.Owes = s.present.Access().Owes(a, s.present.View().Document().SecondFactor())
		return p
	}
	state, d := s.present.Access(), s.present.View().World.Directory
	u, ok := d.UserOf(a.Source, a.User())
	if !ok || u.ExternalID != a.ExternalID || !slices.Contains(state.Signing, a.Source) {
		return nil
	}
	p.User, p.Role = directory.SignsInAs(d, u, state.Signing), access.Person
	for _, r := range state.Rules {
		if holdsFor(d, u, r) {
			p.Also = append(p.Also, r.Holding)
		}
	}
	// What it may most is shown first.
	rank := func(h access.Holding) int { return slices.Index(access.Roles(), h.Role) }
	all := p.Holdings()
	slices.SortStableFunc(all, func(a, b access.Holding) int { return rank(a) - rank(b) })
	p.Role, p.Sites, p.Also = all[0].Role, all[0].Sites, all[1:]
	return p
}

// holdsFor says whether an access rule holds for a user: one of the directory that it is about, by what that directory
// alone says.
func holdsFor(d *directory.Directory, u directory.User, r access.Rule) bool {
	e, err := estate.ParseEntry(r.Who)
	if err != nil {
		return false
	}
	claim := directory.Claim{Source: r.Source, Kind: string(e.Kind), Name: e.Name}
	if claim.Holds(d, u) {
		return true
	}
	// Rules from before may name their directory in front: group:SOURCE/NAME.
	of, plain, ok := strings.Cut(e.Name, "/")
	claim.Name = plain
	return ok && name.Fold(of) == name.Fold(r.Source) && e.Kind != estate.Unit && claim.Holds(d, u)
}
