// Package identity knows who is asking and what they may do. Its use cases: signing in and out (SetUp, SignIn, SignOut,
// BySession, ByToken, ByBasic), sessions, tokens, accounts, passwords, rules. Its worker notes when tokens were used.
package identity

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/access"
	"cirque/core/directory"
	"cirque/core/event"
	"cirque/internal/service/present"
	"cirque/internal/service/tries"
	"cirque/internal/service/worker"
)

// A Dir speaks to directories over LDAP.
type Dir interface {
	// SignInLDAP checks a person's password; ok is false where it is not right.
	SignInLDAP(ctx context.Context, s directory.Source, password, called, secret string) (e directory.Entry,
		ok bool, err error)
}

// A Store is what is needed of the store.
type Store interface {
	AddAccount(ctx context.Context, a access.Account, author string) (access.Account, error)
	AddEvent(ctx context.Context, e event.Event) error
	AddFirstAccount(ctx context.Context, a access.Account) error
	AddRule(ctx context.Context, r access.Rule) (access.Rule, error)
	MeetAccount(ctx context.Context, a access.Account) error
	OpenEmergency(ctx context.Context, called, remote string) error
	SealEmergency(ctx context.Context, called, hash, author string) error
	RemoveAccount(ctx context.Context, name, author string) error
	RemoveRule(ctx context.Context, id int64, author string) error
	SetPassword(ctx context.Context, name, hash, author string) (string, error)
	SetRole(ctx context.Context, name string, h access.Holding, author string) (access.Account, error)
	Sources(ctx context.Context) ([]directory.Source, map[string][]byte, error)
}

// Tokens are sessions and tokens.
type Tokens interface {
	AddToken(ctx context.Context, t access.Token) (access.Token, error)
	AddSession(ctx context.Context, s access.Session) error
	EndIdle(ctx context.Context, id int64, since time.Time, minutes int) (bool, error)
	EndSession(ctx context.Context, hash [32]byte) error
	RenewToken(ctx context.Context, id int64, hash [32]byte, author string) error
	RevokeSession(ctx context.Context, id int64, author string) error
	RevokeToken(ctx context.Context, name, author string) error
	Tokens(ctx context.Context) ([]access.Token, error)
	TouchSessions(ctx context.Context, used map[int64]time.Time) error
	TouchTokens(ctx context.Context, used map[int64]time.Time) error
}

// Config of a Room.
type Config struct {
	Dir     Dir
	Store   Store
	Tokens  Tokens
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// Passwords gives the password with which a source is read.
	Passwords interface {
		SourcePassword(v directory.Source, sealed []byte) (string, error)
	}
	// AskSecond asks for the second factor of somebody whose password was right; nobody has one where it is nil.
	AskSecond func(ctx context.Context, a access.Account) (*access.Step, error)
	// SetupCode gives the one-time code of the first run, and whether there is one; SetupDone throws it away.
	SetupCode func() (string, bool)
	SetupDone func()
	// Throwaway hashes passwords quickly, for a service that is thrown away and keeps nobody out.
	Throwaway bool
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	log     *slog.Logger
	now     func() time.Time
	present *present.Present
	cfg     Config

	guard    *tries.Guard
	used     *usage // of tokens
	sessions *usage
	hashing  *tries.Turns // bounds the memory that password hashing takes
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now,
		guard: tries.New(tries.Usual),
		used:  newUsage(), sessions: newUsage(), hashing: tries.NewTurns(hashers)}
}

// Workers are what lasts here.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "tokens", Run: s.noteUsed}}
}
