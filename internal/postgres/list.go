package postgres

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/live"
	"cirque/core/stock"
)

// lists gives what servers told that they have, of those that told within the hour before a time; nil for the present.
func (s DutyTable) lists(ctx context.Context, at *time.Time) (map[string]*live.List, error) {
	out := map[string]*live.List{}
	rows, err := s.pool.Query(ctx, "SELECT server, queues, valid_from, seen FROM server_list WHERE "+validAt+
		" AND seen > COALESCE($1, clock_timestamp()) - $2::interval", at, live.ListHolds)
	if err != nil {
		return nil, translate(err)
	}
	var server string
	var queues []string
	var since, seen time.Time
	_, err = pgx.ForEachRow(rows, []any{&server, &queues, &since, &seen}, func() error {
		out[server] = live.NewList(since, seen, queues)
		return nil
	})
	return out, translate(err)
}

// saveList notes which queues a server has, by a reading. That of one queue at an address is no list of what else is
// there. Others hear of it where it matters: the list is another, or the one before proved nothing any more.
func saveList(ctx context.Context, tx pgx.Tx, server string, r *stock.Server) error {
	names, whole := r.Names()
	if !whole {
		return endList(ctx, tx, server, r.At)
	}
	var was []string
	var seen time.Time
	err := tx.QueryRow(ctx, "SELECT queues, seen FROM server_list WHERE server = $1 AND valid_to IS NULL FOR UPDATE",
		server).Scan(&was, &seen)
	known := err == nil
	if err != nil && !errors.Is(err, pgx.ErrNoRows) {
		return err
	}
	if known && slices.Equal(was, names) {
		if _, err := tx.Exec(ctx, "UPDATE server_list SET seen = greatest(seen, $2) WHERE server = $1 AND valid_to IS NULL",
			server, r.At); err != nil || r.At.Sub(seen) <= live.ListHolds {
			return err
		}
		return notify(ctx, tx, event.Live, server)
	}
	if known && !r.At.After(seen) {
		return nil // an earlier reading, kept late
	}
	if _, err := tx.Exec(ctx, "UPDATE server_list SET valid_to = greatest(valid_from, $2) WHERE server = $1 AND "+
		"valid_to IS NULL", server, r.At); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, "INSERT INTO server_list (server, queues, seen, valid_from) VALUES ($1, $2, $3, $3)", server,
		names, r.At); err != nil {
		return err
	}
	return notify(ctx, tx, event.Live, server)
}

// endList notes that nothing is known any more of what a server has.
func endList(ctx context.Context, tx pgx.Tx, server string, at time.Time) error {
	tag, err := tx.Exec(ctx, "UPDATE server_list SET valid_to = greatest(valid_from, $2) WHERE server = $1 AND valid_to "+
		"IS NULL", server, at)
	if err != nil || tag.RowsAffected() == 0 {
		return err
	}
	return notify(ctx, tx, event.Live, server)
}
