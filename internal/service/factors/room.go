// Package factors is what people show besides a password: it asks for it when somebody signs in (Ask, SecondStep), sets
// it up (List, Begin, Finish, Remove, NewRecoveryCodes, Forget), and has whoever is at a console show again who they
// are (AskAgain, ProveAgain, Proven).
package factors

import (
	"context"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/internal/factor"
	"cirque/internal/service/present"
	"cirque/internal/service/tries"
)

// A Store keeps second factors, and when sessions were proven.
type Store interface {
	AddEvent(ctx context.Context, e event.Event) error
	AddFactor(ctx context.Context, f access.Factor, recovery [][]byte) (made access.Factor, first bool, err error)
	Factors(ctx context.Context, account string) ([]access.Factor, error)
	ForgetFactors(ctx context.Context, account, author string) (string, error)
	ProveSession(ctx context.Context, hash [32]byte, at time.Time) error
	RemoveFactor(ctx context.Context, account string, id int64, keep bool) error
	SetRecovery(ctx context.Context, account string, hashes [][]byte) error
	UseFactor(ctx context.Context, id, step int64, body []byte) (ok bool, err error)
	UseRecovery(ctx context.Context, account string, hash []byte) (left int, ok bool, err error)
}

// Config of a Room.
type Config struct {
	Store   Store
	Present *present.Present
	Now     func() time.Time
	// Accounts checks passwords and opens sessions.
	Accounts interface {
		CheckAccount(ctx context.Context, remote, where, called, password string) (access.Account, error)
		Open(ctx context.Context, remote string, a access.Account) (string, access.Principal, error)
	}
	// Seals seals what is secret of second factors, and what is handed out between two steps.
	Seals interface {
		Seal(name, secret string) ([]byte, error)
		Open(name string, sealed []byte) (string, error)
	}
	// PublicURL is where the service is asked for: passkeys belong to its name.
	PublicURL string
}

// A Room is safe for any number of goroutines.
type Room struct {
	cfg     Config
	store   Store
	now     func() time.Time
	present *present.Present

	guard    *tries.Guard
	passkeys *factor.Passkeys
}

// New furnishes the room.
func New(cfg Config) *Room {
	return &Room{cfg: cfg, store: cfg.Store, now: cfg.Now, present: cfg.Present, guard: tries.New(tries.Usual),
		passkeys: factor.NewPasskeys(cfg.PublicURL)}
}
