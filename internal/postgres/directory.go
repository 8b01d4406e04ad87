package postgres

import (
	"context"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
	"cirque/core/event"
)

// Directory gives all records of a time, nil for the present, of every source, and its number then
// (directoryVersion). Sources are taken in the order of their names.
func (s DirectoryTable) Directory(ctx context.Context, at *time.Time) (directory.Records, int64, error) {
	var r directory.Records
	var version int64
	err := pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly},
		func(tx pgx.Tx) error {
			if err := tx.QueryRow(ctx, directoryVersion, at).Scan(&version); err != nil {
				return err
			}
			var err error
			if r.Links, err = linksOf(ctx, tx, at); err != nil {
				return err
			}
			rows, err := tx.Query(ctx, "SELECT kind, external_id, name, attributes, source FROM directory_row WHERE "+validAt+
				" ORDER BY source, id", at)
			if err != nil {
				return err
			}
			var row directory.Row
			var source string
			_, err = pgx.ForEachRow(rows, []any{&row.Kind, &row.ExternalID, &row.Name, &row.Attributes, &source}, func() error {
				return r.Add(row, source)
			})
			return err
		})
	return r, version, translate(err)
}

// directoryVersion is a number that rises with every import and every change of who is one person, up to the time $1;
// null for the present.
const directoryVersion = "SELECT coalesce(max(id), 0) FROM directory_import WHERE $1::timestamptz IS NULL OR at <= $1"

// directoryChanged notes that the directory is another although nothing was imported, such as when accounts become one
// person.
func directoryChanged(ctx context.Context, tx pgx.Tx, author string) error {
	// One at a time, so that numbers rise in the order in which they come to be seen.
	if _, err := tx.Exec(ctx, "LOCK TABLE directory_import IN EXCLUSIVE MODE"); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, "INSERT INTO directory_import (source, author, added, changed, removed) VALUES ('', "+
		"$1, 0, 0, 0)", author)
	return err
}

// DirectoryVersion gives the directory's present number.
func (s DirectoryTable) DirectoryVersion(ctx context.Context) (v int64, err error) {
	err = s.pool.QueryRow(ctx, directoryVersion, nil).Scan(&v)
	return v, translate(err)
}

// rowsOf gives the rows that a source holds.
func rowsOf(ctx context.Context, tx pgx.Tx, source string) ([]directory.Row, error) {
	rows, err := tx.Query(ctx, "SELECT kind, external_id, name, attributes FROM directory_row WHERE valid_to IS NULL "+
		"AND source = $1 ORDER BY id", source)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[directory.Row])
}

// Import makes a source hold exactly the rows, unless too much would disappear. Rows that change or go are ended, not
// deleted.
func (s DirectoryTable) Import(ctx context.Context, source string, rows []directory.Row,
	how directory.Taking) (directory.Import, error) {
	return s.take(ctx, source, how, func(tx pgx.Tx) (altered, error) {
		have, err := rowsOf(ctx, tx, source)
		return altered{directory.Compare(have, rows), have, directory.CountRows(have)}, err
	})
}

// ImportDelta takes in what has changed of a source: rows as they are now, and rows that are gone.
func (s DirectoryTable) ImportDelta(ctx context.Context, source string, rows, gone []directory.Row,
	how directory.Taking) (directory.Import, error) {
	return s.take(ctx, source, how, func(tx pgx.Tx) (altered, error) {
		var kinds, ids []string
		for _, r := range slices.Concat(rows, gone) {
			kinds, ids = append(kinds, r.Kind), append(ids, r.ExternalID)
		}
		named, err := tx.Query(ctx, `SELECT d.kind, d.external_id, d.name, d.attributes FROM directory_row d
			JOIN (SELECT DISTINCT *
		FROM unnest($2::text[], $3::text[])) AS named(kind, id)
			ON d.source = $1 AND d.kind = named.kind AND d.external_id = named.id WHERE d.valid_to IS NULL`, source, kinds, ids)
		if err != nil {
			return altered{}, err
		}
		have, err := pgx.CollectRows(named, pgx.RowToStructByPos[directory.Row])
		a := altered{directory.Compare(have, rows), have, nil}
		if err != nil || len(gone) == 0 {
			return a, err
		}
		a.held, err = sizes(ctx, tx, source)
		return a, err
	})
}

// altered is what an import changes among the rows that there are.
type altered struct {
	directory.Changes
	have []directory.Row // those that are concerned, as they are
	held map[string]int  // by kind: all that the source holds, by which the removal limit goes
}

// sizes counts what a source holds, by kind.
func sizes(ctx context.Context, tx pgx.Tx, source string) (map[string]int, error) {
	rows, err := tx.Query(ctx, "SELECT kind, count(*) FROM directory_row WHERE source = $1 AND valid_to IS "+
		"NULL GROUP BY 1", source)
	if err != nil {
		return nil, err
	}
	out := map[string]int{}
	var kind string
	var n int
	_, err = pgx.ForEachRow(rows, []any{&kind, &n}, func() error { out[kind] = n; return nil })
	return out, err
}

// take applies changes that are worked out in the transaction, and gives what they come to.
func (s DirectoryTable) take(ctx context.Context, source string, how directory.Taking, changes func(tx pgx.Tx) (altered,
	error)) (directory.Import, error) {
	out := directory.Import{Source: source, Dry: how.Dry, Notes: []string{}}
	err := s.in(ctx, func(tx pgx.Tx) error {
		if how.Kept { // somebody may take it out at this moment
			tag, err := tx.Exec(ctx, "SELECT FROM directory_source WHERE name = $1 FOR SHARE", source)
			if err == nil && tag.RowsAffected() == 0 {
				return sourceUnknown(source)
			}
			if err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, "LOCK TABLE directory_import IN EXCLUSIVE MODE"); err != nil {
			return err
		}
		c, err := changes(tx)
		if err != nil {
			return err
		}
		out.Added, out.Changed, out.Removed = len(c.Added), len(c.Changed), len(c.Removed)
		renames := directory.Renames(c.have, c.Changed)
		for _, r := range renames {
			if how.Named != nil && how.Named(r.Kind, r.From) {
				out.Renames = append(out.Renames, r)
			}
		}
		out.Held = directory.TooMuch(c.held, directory.CountRows(c.Removed), how.Share)
		if err := tx.QueryRow(ctx, "SELECT clock_timestamp()").Scan(&out.At); err != nil || out.Dry || out.Held != "" {
			return err
		}
		if out.Added+out.Changed+out.Removed > 0 {
			if err := applyRows(ctx, tx, source, how.Author, c.Changes, &out); err != nil {
				return err
			}
		} else if how.Quiet {
			return nil
		}
		if err := saveRenames(ctx, tx, source, how.Author, renames, out.Renames); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Imported, Subject: source, Author: how.Author}.Saying(
			"The directory {source} was imported: {added} added, {changed} changed, {removed} removed", "source", source,
			"added", out.Added, "changed", out.Changed, "removed", out.Removed))
	})
	return out, err
}

// saveRenames proposes renames of what the estate names. What was proposed already and is renamed once more, or back,
// has one proposal, from the name that the estate has to the latest.
func saveRenames(ctx context.Context, tx pgx.Tx, source, author string, all, named []directory.Rename) error {
	var kinds, from, to []string
	for _, r := range all {
		kinds, from, to = append(kinds, r.Kind), append(from, r.From), append(to, r.To)
	}
	if _, err := tx.Exec(ctx, `UPDATE directory_rename r SET called = again.called, at = clock_timestamp()
		FROM unnest($2::text[], $3::text[], $4::text[]) AS again(kind, was, called)
		WHERE r.source = $1 AND r.settled_at IS NULL AND r.kind = again.kind AND r.called = again.was`, source, kinds, from,
		to); err != nil {
		return err
	}
	for _, r := range named {
		if _, err := tx.Exec(ctx, `INSERT INTO directory_rename (source, kind, was, called) SELECT $1, $2, $3, $4
			WHERE NOT EXISTS (SELECT FROM directory_rename WHERE source = $1 AND kind = $2 AND called = $4
			AND settled_at IS NULL)`, source, r.Kind, r.From, r.To); err != nil {
			return err
		}
		if err := addEvent(ctx, tx, event.Event{Kind: event.Renamed, Subject: r.From, Author: author}.Saying(
			"The {kind} {from} is called {to} now; the estate still names it {from}", "kind", r.Kind, "from",
			event.NameOf(r.Kind, r.From), "to", event.NameOf(r.Kind, r.To))); err != nil {
			return err
		}
	}
	return nil
}

// applyRows ends the rows that change or go, and adds those that come.
func applyRows(ctx context.Context, tx pgx.Tx, source, author string, c directory.Changes,
	out *directory.Import) error {
	err := tx.QueryRow(ctx, "INSERT INTO directory_import (source, author, added, changed, removed) VALUES ($1, $2, $3, "+
		"$4, $5) RETURNING at",
		source, author, out.Added, out.Changed, out.Removed).Scan(&out.At)
	if err != nil {
		return err
	}
	var kinds, ids []string
	for _, r := range slices.Concat(c.Changed, c.Removed) {
		kinds, ids = append(kinds, r.Kind), append(ids, r.ExternalID)
	}
	_, err = tx.Exec(ctx, `UPDATE directory_row d SET valid_to = greatest(valid_from, $4)
		FROM unnest($2::text[], $3::text[]) AS gone(kind, id)
		WHERE d.source = $1 AND d.kind = gone.kind AND d.external_id = gone.id AND d.valid_to IS NULL`, source, kinds,
		ids, out.At)
	if err != nil {
		return err
	}
	fresh := slices.Concat(c.Added, c.Changed)
	_, err = tx.CopyFrom(ctx, pgx.Identifier{"directory_row"}, []string{"source", "kind", "external_id", "name",
		"attributes", "valid_from"},
		pgx.CopyFromSlice(len(fresh), func(i int) ([]any, error) {
			r := fresh[i]
			return []any{source, r.Kind, r.ExternalID, r.Name, r.Attributes, out.At}, nil
		}))
	if err != nil {
		return err
	}
	return notify(ctx, tx, event.Directory, source)
}
