package postgres

import (
	"context"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
	"cirque/core/event"
)

// Notes gives what is written down about persons or machines of some folded names; about all where names is nil, of all
// kinds where kind is empty. By name, the latest first where one has several.
func (s PersonTable) Notes(ctx context.Context, kind string, names []string) ([]directory.WrittenNote, error) {
	rows, err := s.pool.Query(ctx, "SELECT kind, name, says, author, at FROM note WHERE ($1 = '' OR kind = $1) AND "+
		"($2::text[] IS NULL OR folded = ANY($2)) ORDER BY CASE WHEN $2::text[] IS NULL THEN folded END, at DESC", kind,
		names)
	if err != nil {
		return nil, translate(err)
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[directory.WrittenNote])
	return list, translate(err)
}

// SetNote keeps a note in place of the former one, and of those under other folded names of the same person; without
// text none is kept.
func (s PersonTable) SetNote(ctx context.Context, n directory.WrittenNote, others []string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM note WHERE kind = $1 AND (folded = folded($2) OR folded = ANY($3))",
			n.Kind, n.Name, others); err != nil {
			return err
		}
		if n.Says != "" {
			if _, err := tx.Exec(ctx, "INSERT INTO note (kind, folded, name, says, author, at) VALUES ($1, folded($2), $2, $3, "+
				"$4, $5)", n.Kind, n.Name, n.Says, n.Author, n.At); err != nil {
				return err
			}
		}
		return addEvent(ctx, tx, e)
	})
}
