package postgres

import (
	"context"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/fault"
)

// Views gives an account's of one page, or of all where it is empty, by page and name; after them others' that are
// shared.
func (s ViewTable) Views(ctx context.Context, account, page string) ([]access.KeptView, error) {
	rows, err := s.pool.Query(ctx, "SELECT v.page, v.name, v.search, v.at, v.shared, CASE WHEN v.account = $1 THEN '' "+
		"ELSE a.name END FROM kept_view v JOIN account a ON a.folded = v.account WHERE (v.account = $1 OR v.shared) AND "+
		"($2 = '' OR v.page = $2) ORDER BY v.account <> $1, v.page, folded(v.name), v.name, a.name", account, page)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[access.KeptView])
	return out, translate(err)
}

// SaveView keeps one in place of one of its name; a Conflict fault where the account has too many.
func (s ViewTable) SaveView(ctx context.Context, account string, v access.KeptView) (access.KeptView, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		// The account's row is locked, so that two at once count right.
		if _, err := tx.Exec(ctx, "SELECT FROM account WHERE folded = $1 FOR UPDATE", account); err != nil {
			return err
		}
		var others int
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM kept_view WHERE account = $1 AND (page, name) <> ($2, $3)", account,
			v.Page, v.Name).Scan(&others); err != nil {
			return err
		}
		if others >= access.ViewsMost {
			return fault.New(fault.Conflict, "views-many", "forget some", "%d views are kept, and no more can be", others)
		}
		return tx.QueryRow(ctx, `INSERT INTO kept_view (account, page, name, search, shared) VALUES ($1, $2, $3, $4, $5)
			ON CONFLICT (account, page, name) DO UPDATE SET search = $4, shared = $5, at = clock_timestamp() RETURNING at`,
			account, v.Page, v.Name, v.Search, v.Shared).Scan(&v.At)
	})
	return v, err
}

// RemoveView forgets one; an Unknown fault where there is none.
func (s ViewTable) RemoveView(ctx context.Context, account, page, called string) error {
	tag, err := s.pool.Exec(ctx, "DELETE FROM kept_view WHERE account = $1 AND page = $2 AND name = $3", account, page,
		called)
	if err == nil && tag.RowsAffected() == 0 {
		return fault.New(fault.Unknown, "view-unknown", "see which are kept", "there is no view %q of %s", called, page)
	}
	return translate(err)
}
