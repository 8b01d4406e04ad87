package app

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/ca"
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
	err = alone(ctx, o, func(store *postgres.Store) error {
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
		e := event.Event{Kind: event.SecretKeys, Subject: "secret-key", Author: event.BesideTheData}
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
			e = e.Saying("The secret key {old} was forgotten, beside the data", "old", id)
			if next, err = ring.Forgotten(id); err != nil {
				return err
			}
			for i, k := range ring {
				if k.ID() == id && uses[i] > 0 && !force {
					return fault.New(fault.Conflict, "key-used", "wait until the service has sealed that anew (it does so within "+
						"seconds where it runs), or lose it with --force", "%s has sealed %d of what is kept", id, uses[i])
				}
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

// alone is beside for what only one does at a time to the files of a data directory.
func alone(ctx context.Context, o Options, f func(*postgres.Store) error) error {
	return beside(ctx, o, func(store *postgres.Store) (err error) {
		unlock, err := lockKeys(o)
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, unlock()) }()
		return f(store)
	})
}

// lockKeys has nobody else change the keys in a data directory.
func lockKeys(o Options) (unlock func() error, err error) {
	unlock, _, err = whole.Lock(filepath.Join(o.Data, "keys.lock"))
	if errors.Is(err, whole.ErrLocked) {
		return nil, fault.New(fault.Conflict, "keys-busy", "wait until that is done", "somebody else changes the keys just "+
			"now")
	}
	if err != nil {
		return nil, noRoom(o.Data, err)
	}
	return unlock, nil
}

// What can be done to the certificate authority.
const (
	PrepareAuthority = "prepare"
	SwitchAuthority  = "switch"
	ForgetAuthority  = "forget"
)

// An AuthorityUse is an authority with the machines that have certificates of it.
type AuthorityUse struct {
	ca.Standing
	Machines int
	Some     []string
}

// Authority does something to the certificate authority in a data directory, while the service runs or not: a running
// one goes on with it within seconds. what may be empty. It gives the authorities that there are then.
func Authority(ctx context.Context, o Options, what string, force bool) (list []AuthorityUse, err error) {
	dir := filepath.Join(o.Data, "ca")
	err = alone(ctx, o, func(store *postgres.Store) error {
		if list, err = authorities(ctx, dir, store); err != nil {
			return err
		}
		e := event.Event{Kind: event.AuthorityChanged, Subject: "authority", Author: event.BesideTheData}
		now := time.Now()
		switch what {
		case "":
			return nil
		case PrepareAuthority:
			err = ca.Prepare(dir, now)
			e = e.Saying("A next certificate authority was made, beside the data")
		case SwitchAuthority:
			if err := unused(list, "current", force, "would not know the service any more: they have not taken the next "+
				"authority", "cirque authority switch --force"); err != nil {
				return err
			}
			err = ca.Switch(dir, now)
			e = e.Saying("The next certificate authority is the current one, beside the data")
		case ForgetAuthority:
			if err := unused(list, "former", force, "have certificates of the former authority, and would not be let in",
				"cirque authority forget --force"); err != nil {
				return err
			}
			err = ca.Forget(dir, now)
			e = e.Saying("The former certificate authority was forgotten, beside the data")
		}
		if err == nil {
			err = store.Events.AddEvent(ctx, e)
		}
		if err == nil {
			list, err = authorities(ctx, dir, store)
		}
		return err
	})
	return list, err
}

// unused gives a Conflict fault where machines have certificates of an authority.
func unused(list []AuthorityUse, state string, force bool, says, again string) error {
	for _, a := range list {
		if a.State == state && a.Machines > 0 && !force {
			return fault.New(fault.Conflict, "authority-used", "wait until they have asked the service, look after those that "+
				"are away, or leave them behind, to be enrolled again: "+again, "%d machines %s: %s",
				a.Machines, says, strings.Join(a.Some, ", "))
		}
	}
	return nil
}

func authorities(ctx context.Context, dir string, store *postgres.Store) ([]AuthorityUse, error) {
	if _, err := os.Stat(filepath.Join(dir, "ca.pem")); err != nil {
		return nil, fault.New(fault.Invalid, "no-authority", "name the directory that cirque serve was given", "there is no "+
			"certificate authority in %s", dir)
	}
	a, err := ca.Open(dir, time.Now())
	if err != nil {
		return nil, err
	}
	count, some, err := store.Enrolments.IssuedBy(ctx, time.Now())
	if err != nil {
		return nil, err
	}
	standing := a.Standing()
	// Certificates from before it was kept by whom they were issued are of the oldest authority.
	oldest := standing[0].Fingerprint
	if last := standing[len(standing)-1]; last.State == "former" {
		oldest = last.Fingerprint
	}
	count[oldest] += count[""]
	some[oldest] = append(some[oldest], some[""]...)
	var out []AuthorityUse
	for _, v := range standing {
		out = append(out, AuthorityUse{v, count[v.Fingerprint], some[v.Fingerprint]})
	}
	return out, nil
}
