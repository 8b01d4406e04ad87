package postgres

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// countedFactors are those that count as a second factor: recovery codes alone do not.
const countedFactors = "kind <> 'recovery'"

// Factors gives what an account shows besides its password, as it is kept: recovery codes last.
func (s FactorTable) Factors(ctx context.Context, account string) ([]access.Factor, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, kind, name, created_at, used_at, account, body FROM factor WHERE "+
		"account = "+
		"$1 ORDER BY kind = 'recovery', id", name.Fold(account))
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[access.Factor])
	return out, translate(err)
}

// AddFactor keeps another second factor of an account. Where it is the first, the recovery codes that go with it are
// kept, too, in place of any, and first is true.
func (s FactorTable) AddFactor(ctx context.Context, f access.Factor, recovery [][]byte) (made access.Factor, first bool,
	err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		var called string
		if err := tx.QueryRow(ctx, "SELECT name FROM account WHERE folded = $1 FOR UPDATE",
			name.Fold(f.Account)).Scan(&called); err != nil {
			return err
		}
		var have int
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM factor WHERE account = $1 AND "+countedFactors,
			name.Fold(f.Account)).Scan(&have); err != nil {
			return err
		}
		if have >= access.FactorsMost {
			return fault.New(fault.TooMany, "factors-many", "remove one first", "%s has %d second factors already", called, have)
		}
		if err := tx.QueryRow(ctx, "INSERT INTO factor (account, kind, name, body) VALUES ($1, $2, $3, $4) RETURNING id, "+
			"created_at", name.Fold(f.Account), f.Kind, f.Name, f.Body).Scan(&f.ID, &f.CreatedAt); err != nil {
			return err
		}
		if first = have == 0; first {
			if err := s.setRecovery(ctx, tx, f.Account, recovery); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, event.Access, "factor"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.FactorAdded, Subject: called, Author: called}.Saying(
			"{account} signs in with a second factor too: {name}, a {kind}", "account", event.Person(called), "name", f.Name,
			"kind", f.Kind))
	})
	return f, first, translate(err)
}

// setRecovery puts recovery codes in place of those that there were.
func (s FactorTable) setRecovery(ctx context.Context, tx pgx.Tx, account string, hashes [][]byte) error {
	if _, err := tx.Exec(ctx, "DELETE FROM factor WHERE account = $1 AND kind = 'recovery'",
		name.Fold(account)); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, "INSERT INTO factor (account, kind, name, body) SELECT $1, 'recovery', '', h FROM "+
		"unnest($2::bytea[]) h", name.Fold(account), hashes)
	return err
}

// SetRecovery is a new sheet of recovery codes.
func (s FactorTable) SetRecovery(ctx context.Context, account string, hashes [][]byte) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if err := s.setRecovery(ctx, tx, account, hashes); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.RecoverySet, Subject: account, Author: account}.Saying(
			"{account} has new recovery codes; the former ones are over", "account", event.Person(account)))
	})
}

// UseFactor notes that a factor was shown at a step, and what is kept of it from now on, where that changes; ok is
// false where that step or a later one was taken before.
func (s FactorTable) UseFactor(ctx context.Context, id, step int64, body []byte) (ok bool, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE factor SET step = $2, used_at = clock_timestamp(), body = coalesce($3, body) WHERE "+
			"id = $1 AND step < $2", id, step, body)
		ok = tag.RowsAffected() == 1
		return err
	})
	return ok && err == nil, err
}

// UseRecovery takes a recovery code, once, and gives how many are left.
func (s FactorTable) UseRecovery(ctx context.Context, account string, hash []byte) (left int, ok bool, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM factor WHERE account = $1 AND kind = 'recovery' AND body = $2",
			name.Fold(account), hash)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		ok = true
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM factor WHERE account = $1 AND kind = 'recovery'",
			name.Fold(account)).Scan(&left); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.RecoveryUsed, Subject: account, Author: account}.Saying(
			"{account} signed in with a recovery code; {left} are left", "account", event.Person(account), "left", left))
	})
	return left, ok && err == nil, err
}

// RemoveFactor ends one second factor of an account; the recovery codes go with the last. An Unknown fault where there
// is none; keep refuses the last one.
func (s FactorTable) RemoveFactor(ctx context.Context, account string, id int64, keep bool) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT FROM account WHERE folded = $1 FOR UPDATE", name.Fold(account)); err != nil {
			return err
		}
		var called string
		err := tx.QueryRow(ctx, "DELETE FROM factor WHERE id = $1 AND account = $2 AND "+countedFactors+" RETURNING name",
			id, name.Fold(account)).Scan(&called)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "factor-unknown", "see those that there are", "%s has no second factor %d",
				account, id)
		}
		if err != nil {
			return err
		}
		var left int
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM factor WHERE account = $1 AND "+countedFactors,
			name.Fold(account)).Scan(&left); err != nil {
			return err
		}
		switch {
		case left == 0 && keep:
			return fault.New(fault.Conflict, "second-factor-demanded", "add another first", "%s is the last second factor of "+
				"%s, and one is demanded", called, account)
		case left == 0:
			if err := s.setRecovery(ctx, tx, account, nil); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, event.Access, "factor"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.FactorGone, Subject: account, Author: account}.Saying(
			"{account} no longer signs in with {name}", "account", event.Person(account), "name", called))
	})
}

// ForgetFactors ends all second factors of an account with its sessions, for somebody who has lost them: the password
// alone lets in then. An Unknown fault where there is no account, or none of them.
func (s FactorTable) ForgetFactors(ctx context.Context, account, author string) (made string, err error) {
	how := ""
	if author == event.BesideTheData {
		how = ", beside the data"
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "SELECT name FROM account WHERE folded = $1 FOR UPDATE", name.Fold(account)).Scan(&made)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "account-unknown", "see cirque account list", "there is no account %q", account)
		}
		if err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "DELETE FROM factor WHERE account = $1", name.Fold(account))
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "factor-unknown", "its password alone lets it in already", "%s has no second "+
				"factor", made)
		}
		if _, err := tx.Exec(ctx, "DELETE FROM console_session WHERE account = $1", name.Fold(account)); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "factor"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.FactorsForgot, Subject: made, Author: author}.Saying(
			"The second factors of {account} were taken away{how}; its sessions are over", "account", event.Person(made),
			"how", how))
	})
	return made, err
}

// ProveSession notes that whoever has a session showed again who they are.
func (s FactorTable) ProveSession(ctx context.Context, hash [32]byte, at time.Time) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "UPDATE console_session SET proven_at = $2 WHERE hash = $1", hash[:],
			at); err != nil {
			return err
		}
		return notify(ctx, tx, event.Access, "session")
	})
}
