package postgres

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/decommission"
)

// Uses lists who printed through a server, the latest first, and tells since when that is known.
func (s UseTable) Uses(ctx context.Context, server string, most int) (list []decommission.Use,
	known decommission.Known, err error) {
	rows, err := s.pool.Query(ctx, "SELECT server, queue, owner, host, jobs, first_at, last_at FROM server_use WHERE "+
		"server = $1 ORDER BY last_at DESC, queue, owner LIMIT $2", server, most)
	if err != nil {
		return nil, known, translate(err)
	}
	if list, err = pgx.CollectRows(rows, pgx.RowToStructByPos[decommission.Use]); err != nil {
		return nil, known, translate(err)
	}
	known, err = readKnown(ctx, s.pool, server, "")
	return list, known, translate(err)
}

// readKnown reads how well it is known who prints through a server; the zero value where it is not.
func readKnown(ctx context.Context, from interface {
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}, server, lock string) (k decommission.Known, err error) {
	var since, read *time.Time
	err = from.QueryRow(ctx, "SELECT since, read_at, says, told FROM server_use_read WHERE server = $1"+lock,
		server).Scan(&since, &read, &k.Says, &k.Told)
	if errors.Is(err, pgx.ErrNoRows) {
		return k, nil
	}
	if since != nil {
		k.Since = *since
	}
	if read != nil {
		k.Read = *read
	}
	return k, err
}

// KeepUses adds who printed through a server, by jobs that were not counted before; next says how well that is known
// then.
func (s UseTable) KeepUses(ctx context.Context, server string, list []decommission.Use,
	next func(decommission.Known) decommission.Known) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		for _, u := range list {
			if _, err := tx.Exec(ctx, `INSERT INTO server_use AS u (server, queue, owner, host, jobs, first_at, last_at)
				VALUES ($1, $2, $3, $4, $5, $6, $7) ON CONFLICT (server, queue, owner, host) DO UPDATE SET jobs = u.jobs +
				excluded.jobs, first_at = least(u.first_at, excluded.first_at), last_at = greatest(u.last_at, excluded.last_at)`,
				server, u.Queue, u.Owner, u.From, u.Jobs, u.First, u.Last); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, "INSERT INTO server_use_read (server) VALUES ($1) ON CONFLICT DO NOTHING", server)
		if err != nil {
			return err
		}
		known, err := readKnown(ctx, tx, server, " FOR UPDATE")
		if err != nil {
			return err
		}
		known = next(known)
		_, err = tx.Exec(ctx, "UPDATE server_use_read SET since = $2, read_at = $3, says = $4, told = $5 WHERE server = $1",
			server, orNull(known.Since), orNull(known.Read), known.Says, known.Told)
		return err
	})
}

// LastUses gives when each person's last job through a server was, by queue, owner and machine.
func (s UseTable) LastUses(ctx context.Context, server string) (map[[3]string]time.Time, error) {
	rows, err := s.pool.Query(ctx, "SELECT queue, owner, host, last_at FROM server_use WHERE server = $1", server)
	if err != nil {
		return nil, translate(err)
	}
	out := map[[3]string]time.Time{}
	var k [3]string
	var at time.Time
	_, err = pgx.ForEachRow(rows, []any{&k[0], &k[1], &k[2], &at}, func() error { out[k] = at; return nil })
	return out, translate(err)
}

// orNull is a time, or null for the zero time.
func orNull(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
