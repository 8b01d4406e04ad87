package app

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/postgres"
	"cirque/internal/service/secrets"
	"cirque/internal/whole"
)

// What can be done to the secret keys.
const (
	PrepareKey = "prepare"
	RotateKey  = "rotate"
	ForgetKey  = "forget"
)

// A KeyUse is a secret key with how much it has sealed.
type KeyUse struct {
	secrets.Key
	Seals int
}

// SecretKeys does something to the secret keys in a data directory, while the service runs or not: a running one goes
// on with them within seconds. what may be empty. It gives those that there are then, and how much none of them opens.
func SecretKeys(ctx context.Context, o Options, what, id string, force bool) (list []KeyUse, lost int, err error) {
	unlock, _, err := whole.Lock(filepath.Join(o.Data, secretFile+".lock"))
	if err != nil {
		return nil, 0, fault.New(fault.Conflict, "keys-busy", "wait until that is done", "somebody else changes the secret "+
			"keys just now").Because(err)
	}
	defer func() { err = errors.Join(err, unlock()) }()
	err = beside(ctx, o, func(store *postgres.Store) error {
		file := filepath.Join(o.Data, secretFile)
		ring, _, err := secretKeys(file)
		if err != nil {
			return err
		}
		kept, err := store.Credentials.KeptSealed(ctx)
		if err != nil {
			return err
		}
		uses, _ := ring.Uses(kept)
		e := event.Event{Kind: event.SecretKeys, Subject: "secret-key", Author: "local"}
		next := ring
		switch what {
		case PrepareKey:
			if next, err = ring.Prepared(time.Now()); err == nil {
				e = e.Saying("A next secret key was made, beside the data")
			}
		case RotateKey:
			next = ring.Rotated(time.Now())
			e = e.Saying("The secret key was rotated, beside the data: {new} seals, and {old} opens", "new", next[0].ID(), "old",
				ring[0].ID())
		case ForgetKey:
			for i, k := range ring {
				if k.ID() == id && uses[i] > 0 && !force {
					return fault.New(fault.Conflict, "key-used", "wait until the service has sealed that anew (it does so within "+
						"seconds where it runs), or lose it with --force", "%s has sealed %d of what is kept", id, uses[i])
				}
			}
			if next, err = ring.Forgotten(id); err == nil {
				e = e.Saying("The secret key {old} was forgotten, beside the data", "old", id)
			}
		}
		if err != nil {
			return err
		}
		if what != "" {
			if err := whole.Write(file, []byte(next.String()), 0o600); err != nil {
				return noRoom(file, err)
			}
			if err := store.Events.AddEvent(ctx, e); err != nil {
				return fmt.Errorf("the keys are changed, and it could not be noted: %w", err)
			}
		}
		uses, lost = next.Uses(kept)
		for i, k := range next {
			list = append(list, KeyUse{k, uses[i]})
		}
		return nil
	})
	return list, lost, err
}
