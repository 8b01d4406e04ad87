// Package once has what is sent twice be done once: a request under an Idempotency-Key that was kept is answered as it
// was answered, and not done again (IETF draft-ietf-httpapi-idempotency-key-header).
package once

import (
	"bytes"
	"context"
	"crypto/rand"
	"log/slog"
	"strings"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/words"
)

// A Store is what is needed of the store. What is kept under a context that carries an event.Attempt is written down
// with it.
type Store interface {
	Deed(ctx context.Context, author, key string) (event.Deed, bool, error)
	KeepAnswer(ctx context.Context, a event.Attempt, status int, media string, answer []byte) error
}

// Config of a Room.
type Config struct {
	Store Store
	Log   *slog.Logger
}

// A Room is safe for any number of goroutines.
type Room struct{ cfg Config }

// New furnishes the room.
func New(cfg Config) *Room { return &Room{cfg} }

// MostKept is how large an answer is kept.
const MostKept = 64 << 10

// keyMost is how long a key may be.
const keyMost = 255

// Begin begins an attempt. before is what is answered instead where it was done already.
func (s *Room) Begin(ctx context.Context, author, key string, print []byte) (a event.Attempt, before *event.Deed,
	err error) {
	key = strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(key), `"`), `"`)
	if key == "" || len(key) > keyMost || words.Controls(key, false) {
		return a, nil, fault.New(fault.Invalid, "idempotency-key", "make one up for each change, such as a UUID",
			"the Idempotency-Key is empty, too long, or no plain text")
	}
	a = event.Attempt{Author: author, Key: key, ID: rand.Text(), Print: print}
	d, ok, err := s.cfg.Store.Deed(ctx, author, key)
	switch {
	case err != nil || !ok:
		return a, nil, err
	case !bytes.Equal(d.Print, print):
		return a, nil, fault.New(fault.Invalid, "idempotency-key-reused", "make up another key for another change",
			"something else was sent under this Idempotency-Key at %s", d.At.UTC().Format(time.RFC3339))
	case d.Status == 0:
		return a, nil, fault.New(fault.Conflict, "already-done", "look at what is there (cirque audit); make a lost secret "+
			"anew (cirque token renew NAME)", "this was kept at %s, and what was answered then is not known",
			d.At.UTC().Format(time.RFC3339))
	case d.Answer == nil && d.Media != "":
		return a, nil, fault.New(fault.Conflict, "already-done", "look at what is there; make a secret anew (cirque "+
			"token renew NAME; an enrolment token: revoke it and make another)", "this was done at %s, and what was "+
			"answered is not kept: it held a secret, or was long", d.At.UTC().Format(time.RFC3339))
	}
	return a, &d, nil
}

// Done keeps what was answered to an attempt; secret says that the answer is not to be kept. Without it the next
// attempt hears that it was done, and not what was answered.
func (s *Room) Done(ctx context.Context, a event.Attempt, status int, media string, answer []byte, secret bool) {
	if answer == nil {
		answer = []byte{}
	}
	if secret || len(answer) > MostKept {
		answer = nil
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	if err := s.cfg.Store.KeepAnswer(ctx, a, status, media, answer); err != nil {
		s.cfg.Log.Warn("what was answered could not be kept", "error", err)
	}
}
