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
	err = s.pool.QueryRow(ctx, "SELECT since, read_at, says FROM server_use_read WHERE server = $1",
		server).Scan(&known.Since,
		&known.Read, &known.Says)
	if errors.Is(err, pgx.ErrNoRows) {
		err = nil
	}
	return list, known, translate(err)
}

// KeepUses adds what a reading of a server's ended jobs, from since on, tells: jobs that are counted already are not
// counted again. Says is why it could not be read; then nothing is added.
func (s UseTable) KeepUses(ctx context.Context, server string, list []decommission.Use, since time.Time,
	says string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		for _, u := range list {
			if _, err := tx.Exec(ctx, `INSERT INTO server_use AS u (server, queue, owner, host, jobs, first_at, last_at)
				VALUES ($1, $2, $3, $4, $5, $6, $7) ON CONFLICT (server, queue, owner, host) DO UPDATE SET jobs = u.jobs +
				excluded.jobs, first_at = least(u.first_at, excluded.first_at), last_at = greatest(u.last_at, excluded.last_at)`,
				server, u.Queue, u.Owner, u.From, u.Jobs, u.First, u.Last); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, `INSERT INTO server_use_read AS r (server, since, read_at, says) VALUES ($1, $2,
			clock_timestamp(), $3) ON CONFLICT (server) DO UPDATE SET since = least(r.since, excluded.since),
			read_at = CASE WHEN excluded.says = '' THEN excluded.read_at ELSE r.read_at END, says = excluded.says`, server,
			since, says)
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
