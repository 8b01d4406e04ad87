// Package enrolment gives machines certificates and takes them away. Its use cases: those of tokens (MakeEnrolToken,
// EnrolTokens, RevokeEnrolToken), of machines (Enrol, RenewCertificate, Enrolled, Revoke, ByCertificate), and how
// agents know their people (PeopleAt, SaidWho); machines with somebody in front of them are paired (Pair, ShowPairing,
// ClaimPairing, PairingBy, LetPairing).
package enrolment

import (
	"context"
	"log/slog"
	"time"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/page"
	"cirque/internal/service/present"
	"cirque/internal/service/tries"
)

// An Authority certifies agents.
type Authority interface {
	Fingerprint() string
	// Issue certifies a machine by its request (RFC 2986); an Invalid fault where the request cannot be used. One that
	// follows takes what Trust gives, and is certified by the authority that comes next where there is one.
	Issue(request []byte, machine string, lasts time.Duration, follows bool, now time.Time) (access.Certificate, error)
	// Trust gives the authorities' certificates, Fingerprint the SHA-256 of the current one's, Issuing that of the one by
	// which machines are certified that follow.
	Trust() []byte
	Issuing() string
	// Alone says that no authority comes next, and none was before.
	Alone() bool
}

// A Store is what is needed of the store.
type Store interface {
	GoodCertificates(ctx context.Context, machine string) ([]access.Enrolled, error)
	AddEnrolToken(ctx context.Context, t access.EnrolToken) (access.EnrolToken, error)
	AddEvent(ctx context.Context, e event.Event) error
	Enrol(ctx context.Context, token int64, e access.Enrolled) (access.Enrolled, error)
	EnrolTokenBy(ctx context.Context, hash [32]byte) (access.EnrolToken, error)
	EnrolTokens(ctx context.Context) ([]access.EnrolToken, error)
	Enrolled(ctx context.Context, ask page.Ask, word string) (page.Page[access.Enrolled], error)
	LastEnrolled(ctx context.Context, machine string) (access.Enrolled, bool, error)
	Renew(ctx context.Context, former string, e access.Enrolled) (access.Enrolled, error)
	Revoke(ctx context.Context, machine, author string) error
	RevokeEnrolToken(ctx context.Context, name, author string) error
}

// Config of a Room.
type Config struct {
	Authority Authority
	Store     Store
	Pairs     Pairs
	Present   *present.Present
	Log       *slog.Logger
	Now       func() time.Time
	// Agents is the address at which agents enrol; empty where the service speaks no TLS.
	Agents string
	// Accounts finds who somebody proves to be.
	Accounts interface {
		CheckAccount(ctx context.Context, remote, where, called, password string) (access.Account, error)
	}
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	pairs   Pairs
	now     func() time.Time
	present *present.Present
	log     *slog.Logger
	cfg     Config

	guard        *tries.Guard
	certificates certificates
}

// Agents is the address at which agents enrol; empty where the service speaks no TLS.
func (s *Room) Agents() string { return s.cfg.Agents }

// limits are on refusals. A token cannot be guessed, and so they only keep the audit from being filled: one machine
// that goes on with a token that is over waits by itself, and a building behind one address does not.
var limits = tries.Limits{Pair: 3, Place: 100, Name: 1000}

// New furnishes the room, and reads the certificates that let machines in.
func New(ctx context.Context, cfg Config) (*Room, error) {
	s := &Room{cfg: cfg, store: cfg.Store, pairs: cfg.Pairs, present: cfg.Present, log: cfg.Log, now: cfg.Now,
		guard: tries.New(limits)}
	cfg.Present.Also(s.readCertificates)
	return s, s.readCertificates(ctx, event.Signal{What: event.Lost})
}
