// Package secrets keeps the keys with which others are asked, sealed. Its use cases: StoreCredential, Credentials,
// RemoveCredential, AnswerKey; and what other rooms need of keys.
package secrets

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"log/slog"
	"sync/atomic"
	"time"

	"cirque/core/event"
	"cirque/core/stock"
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
	SaveCredential(ctx context.Context, c stock.Credential, sealed []byte, e event.Event) error
}

// Config of a Room.
type Config struct {
	Prober  Prober
	Store   Store
	Present *present.Present
	Log     *slog.Logger
	Now     func() time.Time
	// SecretKey seals what is secret in the store: 32 bytes that lie beside the data.
	SecretKey []byte
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

// sealing is what follows from the secret key.
type sealing struct {
	secret  []byte
	answers ed25519.PrivateKey // signs what agents are answered
}

// Rekey goes on with another secret key, such as one that was put back; it says whether it is another.
func (s *Room) Rekey(secret []byte) bool {
	was := s.sealing.Swap(&sealing{secret, answerKey(secret)})
	return was == nil || !bytes.Equal(was.secret, secret)
}

// New furnishes the room.
func New(cfg Config) *Room {
	s := &Room{cfg: cfg, store: cfg.Store, present: cfg.Present, log: cfg.Log, now: cfg.Now}
	s.Rekey(cfg.SecretKey)
	return s
}

// Workers are what lasts here: at the start, keys from before are given what they are for by name.
func (s *Room) Workers() []worker.Worker {
	return []worker.Worker{{Name: "keys", Run: func(ctx context.Context) error {
		if err := s.NameKeys(ctx); err != nil {
			return err
		}
		<-ctx.Done()
		return nil
	}}}
}
