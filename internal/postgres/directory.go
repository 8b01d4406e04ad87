package postgres

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
	"cirque/core/event"
)

// Directory gives all records of a time, nil for the present, of every source, and the number of the last import before
// it. Sources are taken in the order of their names.
func (s *Store) Directory(ctx context.Context, at *time.Time) (directory.Records, int64, error) {
	var r directory.Records
	var version int64
	err := pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, "SELECT coalesce(max(id), 0) FROM directory_import WHERE $1::timestamptz IS NULL OR at <= $1", at).Scan(&version); err != nil {
			return err
		}
		rows, err := rowsAt(ctx, tx, at, "")
		if err != nil {
			return err
		}
		for _, row := range rows {
			if err := r.Add(row); err != nil {
				return err
			}
		}
		return nil
	})
	return r, version, translate(err)
}

// DirectoryVersion gives the number of the last import.
func (s *Store) DirectoryVersion(ctx context.Context) (v int64, err error) {
	err = s.pool.QueryRow(ctx, "SELECT coalesce(max(id), 0) FROM directory_import").Scan(&v)
	return v, translate(err)
}

// rowsAt gives the rows of a source that hold at a time, nil for the present, or of all sources where source is empty.
func rowsAt(ctx context.Context, tx pgx.Tx, at *time.Time, source string) ([]directory.Row, error) {
	rows, err := tx.Query(ctx, "SELECT kind, external_id, name, attributes FROM directory_row WHERE "+holds+" AND ($2 = '' OR source = $2) ORDER BY source, id", at, source)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[directory.Row])
}

// Import makes a source hold exactly the records. Rows that change or go are ended, not deleted.
func (s *Store) Import(ctx context.Context, source string, records directory.Records, author string) (directory.Import, error) {
	out := directory.Import{Source: source, Users: len(records.Users), Groups: len(records.Groups), Machines: len(records.Machines), Notes: []string{}}
	err := s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "LOCK TABLE directory_import IN EXCLUSIVE MODE"); err != nil {
			return err
		}
		have, err := rowsAt(ctx, tx, nil, source)
		if err != nil {
			return err
		}
		c := directory.Compare(have, records.Rows())
		out.Added, out.Changed, out.Removed = len(c.Added), len(c.Changed), len(c.Removed)
		err = tx.QueryRow(ctx, "INSERT INTO directory_import (source, author, added, changed, removed) VALUES ($1, $2, $3, $4, $5) RETURNING at",
			source, author, out.Added, out.Changed, out.Removed).Scan(&out.At)
		if err != nil {
			return err
		}
		var kinds, ids []string
		for _, r := range append(append([]directory.Row{}, c.Changed...), c.Removed...) {
			kinds, ids = append(kinds, r.Kind), append(ids, r.ExternalID)
		}
		_, err = tx.Exec(ctx, `UPDATE directory_row d SET valid_to = greatest(valid_from, $4) FROM unnest($2::text[], $3::text[]) AS gone(kind, id)
			WHERE d.source = $1 AND d.kind = gone.kind AND d.external_id = gone.id AND d.valid_to IS NULL`, source, kinds, ids, out.At)
		if err != nil {
			return err
		}
		fresh := append(append([]directory.Row{}, c.Added...), c.Changed...)
		_, err = tx.CopyFrom(ctx, pgx.Identifier{"directory_row"}, []string{"source", "kind", "external_id", "name", "attributes", "valid_from"},
			pgx.CopyFromSlice(len(fresh), func(i int) ([]any, error) {
				r := fresh[i]
				return []any{source, r.Kind, r.ExternalID, r.Name, r.Attributes, out.At}, nil
			}))
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Directory, source); err != nil {
			return err
		}
		return happened(ctx, tx, event.Event{Kind: event.Imported, Subject: source, Author: author,
			Says: fmt.Sprintf("The directory %s was imported: %d added, %d changed, %d removed", source, out.Added, out.Changed, out.Removed)})
	})
	return out, err
}
