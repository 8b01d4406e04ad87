package app

import (
	"context"
	"errors"
	"os"
	"time"
	_ "time/tzdata" // zones wherever it runs

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/postgres"
	"cirque/internal/postgres/cluster"
	"cirque/internal/service/identity"
)

// MakeToken makes a token straight in the data directory or database, while the service runs or not. Where one runs, it
// returns once that knows it; a secret with an error says that it has not said so.
func MakeToken(ctx context.Context, o Options, want access.Token) (secret string, err error) {
	want.Author = event.BesideTheData
	err = beside(ctx, o, func(store *postgres.Store) (err error) {
		_, doc, err := store.Estates.Current(ctx)
		if err != nil {
			return err
		}
		_, secret, err = identity.AddToken(ctx, store.Tokens, want, time.Now(), doc.HasSite)
		return err
	})
	return secret, err
}

// ResetAccount gives an account a new password straight in the data directory or database, while the service runs or
// not. It gives the account's name as it was made.
func ResetAccount(ctx context.Context, o Options, called, password string) (made string, err error) {
	err = beside(ctx, o, func(store *postgres.Store) (err error) {
		made, err = identity.ResetPassword(ctx, store.Accounts, called, password)
		return err
	})
	return made, err
}

// ForgetFactors takes away an account's second factors straight in the data directory or database, while the service
// runs or not. It gives the account's name as it was made.
func ForgetFactors(ctx context.Context, o Options, called string) (made string, err error) {
	err = beside(ctx, o, func(store *postgres.Store) (err error) {
		made, err = store.Factors.ForgetFactors(ctx, called, event.BesideTheData)
		return err
	})
	return made, err
}

// beside reaches the store of a data directory or database, while the service runs or not, and waits until a service
// that runs has heard of what was changed.
func beside(ctx context.Context, o Options, f func(*postgres.Store) error) (err error) {
	return reach(ctx, o, func(store *postgres.Store) error {
		if err := f(store); err != nil {
			return err
		}
		return store.Heard(ctx)
	})
}

// reach opens the store of a data directory or database, while the service runs or not.
func reach(ctx context.Context, o Options, f func(*postgres.Store) error) (err error) {
	var c closers
	defer func() { err = errors.Join(err, c.run()) }()
	if _, err := os.Stat(o.Data); o.Database == "" && err != nil {
		return fault.New(fault.Invalid, "data-directory", "name the directory that cirque serve was given",
			"there is no data directory %s", o.Data)
	}
	store, err := openStore(ctx, o, &c)
	if fault.Is(err, fault.Conflict) { // a service has the data: its database is up
		_ = c.run()
		db, err := cluster.Attach(ctx, o.Data)
		if err != nil {
			return err
		}
		if store, err = postgres.Open(ctx, db.URL(databaseName)); err != nil {
			return err
		}
		c.add(func() error { store.Close(); return nil })
	} else if err != nil {
		return err
	}
	return f(store)
}
