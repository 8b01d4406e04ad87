package identity

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"

	"cirque/core/event"

	"golang.org/x/crypto/argon2"
)

// Cost of argon2id, by OWASP's and RFC 9106's second recommendation.
const (
	argonTime    = 3
	argonMemory  = 64 * 1024 // KiB
	argonThreads = 2
	argonKey     = 32
	argonSalt    = 16
)

// quick is the memory of a hash in a service that is thrown away, in KiB: its passwords keep nobody out, and are made
// and checked by the thousand.
const quick = 64

// hashPassword gives the PHC string of a password.
func (s *Room) hashPassword(ctx context.Context, password string) (string, error) {
	salt := newSalt()
	key, err := s.derive(ctx, password, salt, argonTime, s.cfg.memory(), argonThreads)
	return phc(salt, key, s.cfg.memory()), err
}

// memory is what a hash takes, in KiB.
func (c Config) memory() uint32 {
	if c.Throwaway {
		return quick
	}
	return argonMemory
}

// decoy is checked where no account is found, so that the answer takes as long. No password has it.
func (c Config) decoy() string {
	return phc(make([]byte, argonSalt), make([]byte, argonKey), c.memory())
}

func newSalt() []byte {
	salt := make([]byte, argonSalt)
	_, _ = rand.Read(salt) // never fails
	return salt
}

func phc(salt, key []byte, memory uint32) string {
	b64 := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, argonTime, argonThreads,
		b64.EncodeToString(salt), b64.EncodeToString(key))
}

// ResetPassword gives an account a new password straight in a store, for whoever has the data in hand. Its sessions
// end; tokens stay. It gives the account's name as it was made; an Unknown fault names the accounts that there are.
func ResetPassword(ctx context.Context, store interface {
	SetPassword(ctx context.Context, called, hash, author string) (string, error)
}, called, password string) (string, error) {
	if err := checkNewAccount(called, password); err != nil {
		return "", err
	}
	salt := newSalt()
	return store.SetPassword(ctx, called, phc(salt, argon2.IDKey([]byte(password), salt, argonTime, argonMemory,
		argonThreads, argonKey), argonMemory), event.BesideTheData)
}

// checkPassword holds a password against a PHC string. A malformed string never matches.
func (s *Room) checkPassword(ctx context.Context, password, phc string) (bool, error) {
	parts := strings.Split(phc, "$")
	var version int
	var memory, time uint32
	var threads uint8
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false, nil
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false, nil
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &time, &threads); err != nil || memory > 1<<20 ||
		time > 16 || threads == 0 || time == 0 {
		return false, nil
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(want) != argonKey {
		return false, nil
	}
	got, err := s.derive(ctx, password, salt, time, memory, threads)
	return err == nil && subtle.ConstantTimeCompare(got, want) == 1, err
}

// derive bounds how many hashes are worked out at once, since each takes 64 MiB, and shares them fairly among the
// addresses from which they are wanted.
func (s *Room) derive(ctx context.Context, password string, salt []byte, time, memory uint32,
	threads uint8) ([]byte, error) {
	from, _ := ctx.Value(event.OriginKey{}).(string)
	done, err := s.hashing.Take(ctx, from)
	if err != nil {
		return nil, err
	}
	defer done()
	return argon2.IDKey([]byte(password), salt, time, memory, threads, argonKey), nil
}

// hashers is how many passwords are hashed at once: each takes 64 MiB.
const hashers = 2
