package postgres

import (
	"context"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
)

// Credentials lists stored keys with what is sealed of them, by name.
func (s CredentialTable) Credentials(ctx context.Context) ([]stock.Credential, map[string][]byte, error) {
	rows, err := s.pool.Query(ctx, "SELECT name, kind, username, hosts, bound, allow_clear, sealed, expires, author, at, "+
		"state, says, checked FROM credential ORDER BY name")
	if err != nil {
		return nil, nil, translate(err)
	}
	sealed := map[string][]byte{}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (c stock.Credential, err error) {
		var b []byte
		err = r.Scan(&c.Name, &c.Kind, &c.User, &c.For, &c.Bound, &c.Clear, &b, &c.Expires, &c.Author, &c.At, &c.State,
			&c.Says, &c.Checked)
		sealed[c.Name] = b
		return c, err
	})
	return out, sealed, translate(err)
}

// SaveCredential keeps a key, in the place of one of its name.
func (s CredentialTable) SaveCredential(ctx context.Context, c stock.Credential, sealed []byte, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `INSERT INTO credential (name, kind, username, hosts, sealed, expires, author, state,
			says, checked, bound, allow_clear)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)
			ON CONFLICT (name) DO UPDATE SET kind = $2, username = $3, hosts = $4, sealed = $5, expires = $6, author =
			$7, at = clock_timestamp(), state = $8, says = $9, checked = $10, bound = $11, allow_clear = $12`,
			c.Name, c.Kind, c.User, c.For, sealed, c.Expires, c.Author, c.State, c.Says, c.Checked, boundOrNone(c.Bound),
			c.Clear); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Stock, "credentials"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// NoteCredential keeps what came of a key's last use, and tells where that is otherwise than before.
func (s CredentialTable) NoteCredential(ctx context.Context, name, state, says string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		var was string
		if err := tx.QueryRow(ctx, "SELECT state FROM credential WHERE name = $1 FOR UPDATE",
			name).Scan(&was); err == pgx.ErrNoRows {
			return nil // it was taken away meanwhile
		} else if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "UPDATE credential SET state = $2, says = $3, checked = clock_timestamp() WHERE name = $1",
			name, state, says); err != nil || was == state {
			return err
		}
		if err := notify(ctx, tx, event.Stock, "credentials"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// RemoveCredential forgets a key; an Unknown fault where there is none.
func (s CredentialTable) RemoveCredential(ctx context.Context, name string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM credential WHERE name = $1", name)
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "credential-unknown", "see cirque credential list", "no key is called %q", name)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Stock, "credentials"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// boundOrNone is never NULL.
func boundOrNone(m map[string]string) map[string]string {
	if m == nil {
		return map[string]string{}
	}
	return m
}
