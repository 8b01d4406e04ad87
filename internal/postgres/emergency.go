package postgres

import (
	"context"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// SealEmergency makes the account for emergencies, or gives it another password: its seal is whole then, and its
// sessions are over. A Conflict fault where the name is another account's.
func (s AccountTable) SealEmergency(ctx context.Context, called, hash, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `INSERT INTO account (folded, name, role, password, emergency) VALUES ($1, $2, $3, $4, true)
			ON CONFLICT (folded) DO UPDATE SET password = excluded.password, opened_at = NULL WHERE account.emergency`,
			name.Fold(called), called, access.Owner, hash)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.Conflict, "account-exists", "remove it or give it another name first",
				"there is an account %q already, and it is not for emergencies", called)
		}
		if _, err := tx.Exec(ctx, "DELETE FROM console_session WHERE account = $1", name.Fold(called)); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "account"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.EmergencySealed, Subject: called, Author: author}.Saying(
			"The account for emergencies was sealed with a new password"))
	})
}

// OpenEmergency notes that the account for emergencies is used.
func (s AccountTable) OpenEmergency(ctx context.Context, called, remote string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "UPDATE account SET opened_at = coalesce(opened_at, clock_timestamp()) WHERE folded = $1 "+
			"AND emergency", name.Fold(called)); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "account"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.EmergencyOpened, Subject: called, Author: called}.Saying(
			"The account for emergencies is used, from {address}", "address", remote))
	})
}
