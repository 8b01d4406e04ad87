package postgres

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/readiness"
)

// A Look says as whom the database is looked at.
type Look struct {
	Process string    // names this process among all others
	Started time.Time // when it was started
	Version string    // of Cirque
	Keys    []string  // that this process has, by name
	Leased  []string  // the workers that somebody has to do
	Room    bool      // also whether its disk has room
}

// Look looks whether the database answers, lets itself be read and changed, and how far it is. A fault says that it
// does not even answer.
func (s *Store) Look(ctx context.Context, l Look) (d readiness.Database, err error) {
	ctx = context.WithValue(ctx, event.ForKey{}, event.ForReadiness)
	err = s.pool.QueryRow(ctx, "SELECT pg_is_in_recovery(), current_setting('transaction_read_only')::bool, "+replayLag+
		", coalesce((SELECT max(version_id) FROM goose_db_version WHERE is_applied), 0), ARRAY(SELECT n FROM "+
		"unnest($1::text[]) n WHERE NOT EXISTS (SELECT FROM lease WHERE name = n AND ends > clock_timestamp()) ORDER BY n)",
		l.Leased).Scan(&d.Standby, &d.ReadOnly, &d.Lag, &d.Schema, &d.Leaderless)
	if err != nil {
		return d, translate(err)
	}
	d.ReadOnly = d.ReadOnly && !d.Standby
	d.Knows = Newest()
	if d.Standby || d.ReadOnly {
		return d, nil
	}
	if d.Write = fault.As(s.present(ctx,
		l)); d.Write != nil && (d.Write.Code == readiness.Slow || d.Write.Code == fault.MaybeDone) {
		// Best effort: what cannot be seen is not said.
		_ = s.pool.QueryRow(ctx, "SELECT EXISTS (SELECT FROM pg_stat_activity WHERE wait_event = 'SyncRep')").Scan(&d.Waits)
	}
	if l.Room {
		err := s.room(ctx)
		if c := code(err); c == "53100" || c == "58030" {
			d.Full = fault.As(translate(err))
		}
	}
	return d, nil
}

// present writes that this process is there, and forgets those that have not been for long, and old signals.
func (s *Store) present(ctx context.Context, l Look) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "INSERT INTO process (id, started, seen, version, keys) VALUES ($1, $2, "+
			"clock_timestamp(), $3, $4) ON CONFLICT (id) DO UPDATE SET seen = clock_timestamp(), keys = $4", l.Process,
			l.Started, l.Version, append([]string{}, l.Keys...)); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM process WHERE seen < clock_timestamp() - interval '1 hour'"); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM once WHERE at < clock_timestamp() - interval '1 day'"); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "DELETE FROM signal WHERE id IN (SELECT id FROM signal WHERE at < clock_timestamp() - "+
			"$1::interval ORDER BY id LIMIT 5000 FOR UPDATE SKIP LOCKED)", forgetAfter)
		return err
	})
}

// room has the database sort more than it may keep in memory, so that it writes a file of two megabytes, and takes it
// away again. A change of a row may find room where a disk has none.
func (s *Store) room(ctx context.Context) error {
	return pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SET LOCAL work_mem = '64kB'"); err != nil {
			return err
		}
		var n int
		return tx.QueryRow(ctx, "SELECT count(*) FROM (SELECT repeat('x', 900) FROM generate_series(1, 2000) g ORDER BY "+
			"md5(g::text) OFFSET 0) t").Scan(&n)
	})
}

// Newest gives the version of the last migration, to which this program brings the schema.
func Newest() int64 {
	list, err := migrations.ReadDir("migrations")
	if err != nil || len(list) == 0 {
		return 0
	}
	var out int64
	for _, f := range list {
		number, _, _ := strings.Cut(f.Name(), "_")
		n, _ := strconv.ParseInt(number, 10, 64)
		out = max(out, n)
	}
	return out
}

// Gone takes a process off the list of those that are there, when it stops.
func (s *Store) Gone(ctx context.Context, process string) error {
	return s.exec(context.WithValue(ctx, event.ForKey{}, event.ForReadiness), "DELETE FROM process WHERE id = $1", process)
}

// A Process is one of the service, with the keys that it has, by name.
type Process struct {
	ID   string
	Seen time.Time // when it said last that it is there, which it does every few seconds
	Keys []string
}

// KeysOfOthers gives the processes that were there within the last seconds, and have told their keys.
func (s *Store) KeysOfOthers(ctx context.Context) ([]Process, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, seen, keys FROM process WHERE seen > clock_timestamp() - interval "+
		"'10 seconds' AND keys <> '{}' ORDER BY id")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Process])
	return out, translate(err)
}

// Processes lists those that were there within the last seconds.
func (s *Store) Processes(ctx context.Context) ([]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT id FROM process WHERE seen > clock_timestamp() - interval '10 seconds' "+
		"ORDER BY id")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowTo[string])
	return slices.Clip(out), translate(err)
}
