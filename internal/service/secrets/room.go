// Package secrets keeps the keys with which others are asked, sealed. Its use cases: StoreCredential, Credentials,
// RemoveCredential, AnswerKey; and what other rooms need of keys.
package secrets

import (
	"context"
	"crypto/ed25519"
	"log/slog"
	"strings"
	"sync/atomic"
	"time"

	"cirque/core/event"
	"cirque/core/stock"
	"cirque/internal/agentproto"
	"cirque/internal/service/present"
	"cirque/internal/service/worker"
)

// A Prober asks servers and devices over the network. Failures are faults in plain words.
type Prober interface {
	ReadDevice(ctx context.Context, uri string, keys []stock.Key) (*stock.Device, error)
	ReadServer(ctx context.Context, uri string, key *stock.Key, before *stock.Server) (*stock.Server, error)
}

// A Store is what is needed of the store.
type Store interface {
	Credentials(ctx context.Context) ([]stock.Credential, map[string][]byte, error)
	NoteCredential(ctx context.Context, name, state, says string, e event.Event) error
	RemoveCredential(ctx context.Context, name string, e event.Event) error
	Reseal(ctx context.Context, k stock.Sealed, body []byte) error
	KeptSealed(ctx context.Context) ([]stock.Sealed, error)
	SaveCredential(ctx context.Context, c stock.Credential, sealed []byte, e event.Event) error
}

// Config of a Room.
type Config struct {
	Prober  Prober
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// SecretKeys seal what is secret in the store; they lie beside the data.
	SecretKeys Ring
}

// A Room is safe for any number of goroutines.
type Room struct {
	store   Store
	log     *slog.Logger
	now     func() time.Time
	present *present.Present
	cfg     Config

	sealing atomic.Pointer[sealing]
}

// sealing is what follows from the keys beside the data.
type sealing struct {
	ring     Ring
	answers  ed25519.PrivateKey // signs what agents are answered
	handover string             // by which agents that know a former key of answers learn this one

	notices      ed25519.PrivateKey // signs what notices post
	noticePublic []ed25519.PublicKey
}

// Rekey goes on with other keys, such as those that were put back or rotated; it says whether they are others.
func (s *Room) Rekey(ring Ring) bool {
	next := &sealing{ring: ring}
	if len(ring) > 0 {
		next.answers, next.notices = answerKey(ring[0].Secret), noticeKey(ring[0].Secret)
	}
	var over []string
	for _, k := range ring {
		if key := noticeKey(k.Secret); key != nil {
			next.noticePublic = append(next.noticePublic, key.Public().(ed25519.PublicKey))
		}
		if k.State == Former && next.answers != nil {
			over = append(over, agentproto.HandOver(answerKey(k.Secret), next.answers.Public().(ed25519.PublicKey)))
		}
	}
	next.handover = strings.Join(over, ",")
	was := s.sealing.Swap(next)
	return was == nil || !was.ring.same(ring)
}

// New furnishes the room.
func New(cfg Config) *Room {
	s := &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now}
	s.Rekey(cfg.SecretKeys)
	return s
}

// Workers are what lasts here: at the start, keys from before are given what they are for by name; then
// what former keys have sealed is sealed anew.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "keys", Run: func(ctx context.Context) error {
		if err := s.NameKeys(ctx); err != nil {
			return err
		}
		return s.reseal(ctx)
	}}}
}
