package postgres

import (
	"context"
	"errors"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
)

// A Filling puts a copy into an empty database: all of it or, where it is not finished, nothing.
type Filling struct {
	store *Store
	conn  *pgx.Conn
	known map[string][]string // the columns of each table
	done  bool
}

// Fill begins to put a copy of a version of what is kept into a database that holds nothing. A Conflict fault says that
// it does, an Unavailable one that the copy is of a newer Cirque.
func (s *Store) Fill(ctx context.Context, schema int64) (f *Filling, err error) {
	if schema > Newest() {
		return nil, fault.New(fault.Unavailable, "backup-newer", "run the Cirque that made it, or a newer one",
			"the backup is of schema %d, and this Cirque knows %d", schema, Newest())
	}
	var there bool
	if err := s.pool.QueryRow(ctx, "SELECT to_regclass('goose_db_version') IS NOT NULL").Scan(&there); err != nil {
		return nil, translate(err)
	}
	if there {
		return nil, fault.New(fault.Conflict, "database-filled", "name an empty database", "the database holds a service's "+
			"data already")
	}
	if err := s.migrateTo(ctx, schema); err != nil {
		return nil, err
	}
	conn, err := pgx.ConnectConfig(ctx, s.pool.base.Copy())
	if err != nil {
		return nil, errors.Join(translate(err), s.empty(ctx))
	}
	f = &Filling{store: s, conn: conn, known: map[string][]string{}}
	if err := f.begin(ctx); err != nil {
		return nil, errors.Join(translate(err), f.Close())
	}
	return f, nil
}

func (f *Filling) begin(ctx context.Context) error {
	if _, err := f.conn.Exec(ctx, "BEGIN"); err != nil {
		return err
	}
	list, err := tablesOf(ctx, f.conn)
	if err != nil {
		return err
	}
	var all []string
	for _, t := range list {
		f.known[t.Name] = t.Columns
		all = append(all, pgx.Identifier{t.Name}.Sanitize())
	}
	// What the schema brings along, the copy holds, too; what is not copied and refers to it goes with it.
	_, err = f.conn.Exec(ctx, "TRUNCATE "+strings.Join(all, ", ")+" CASCADE")
	return err
}

// Put fills a table from what Copy.Of wrote, and gives how many rows.
func (f *Filling) Put(ctx context.Context, t Table, from io.Reader) (rows int64, err error) {
	known, ok := f.known[t.Name]
	for _, column := range t.Columns {
		ok = ok && slices.Contains(known, column)
	}
	if !ok {
		return 0, fault.New(fault.Invalid, "backup-foreign", "run the Cirque that made it", "the backup has a table %s that "+
			"its schema has not", t.Name)
	}
	tag, err := f.conn.PgConn().CopyFrom(ctx, from, "COPY "+pgx.Identifier{t.Name}.Sanitize()+" ("+t.columns(nil)+
		") FROM STDIN (FORMAT binary)")
	return tag.RowsAffected(), translate(err)
}

// Finish has sequences go on where they were, notes the event, keeps it all, and brings it up to this version.
func (f *Filling) Finish(ctx context.Context, sequences []Sequence, e event.Event) error {
	for _, q := range sequences {
		if _, err := f.conn.Exec(ctx, "SELECT setval($1::regclass, $2, false)", pgx.Identifier{q.Name}.Sanitize(),
			max(q.Next, 1)); err != nil {
			return translate(err)
		}
	}
	// Transactions count anew here: all events were written by this one, which they have from their column's default.
	if slices.Contains(f.known["audit_forward"], "xid") {
		if _, err := f.conn.Exec(ctx, "UPDATE audit_forward SET xid = pg_current_xact_id()"); err != nil {
			return translate(err)
		}
	}
	if _, err := f.conn.Exec(ctx, "COMMIT"); err != nil {
		return translate(err)
	}
	f.done = true
	if err := f.store.Migrate(ctx); err != nil {
		return err
	}
	if _, err := f.conn.Exec(ctx, "ANALYZE"); err != nil {
		return translate(err)
	}
	return f.store.Events.AddEvent(ctx, e)
}

// Close takes back what is not finished: the database is as empty as it was.
func (f *Filling) Close() error {
	hangUp(f.conn)
	if f.done {
		return nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	return f.store.empty(ctx)
}

// empty takes away the schema.
func (s *Store) empty(ctx context.Context) error {
	p, done, err := s.migrator()
	if err != nil {
		return err
	}
	defer done()
	if _, err := p.DownTo(ctx, 0); err != nil {
		return translate(err)
	}
	return s.exec(ctx, "DROP TABLE goose_db_version")
}
