package postgres

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/live"
	"cirque/core/name"
)

// holds is the part of a query that takes the rows of a time, $1; null for the present.
const holds = "(CASE WHEN $1::timestamptz IS NULL THEN valid_to IS NULL ELSE valid_from <= $1 AND (valid_to IS NULL OR valid_to > $1) END)"

// Live gives the live state of a time, nil for the present.
func (s *Store) Live(ctx context.Context, at *time.Time) (live.State, error) {
	state := live.State{Servers: map[string]live.Duty{}, Devices: map[string]live.Duty{}, Picks: map[string][]string{}}
	notes, err := s.Duties(ctx, at)
	if err != nil {
		return state, err
	}
	for _, n := range notes {
		if n.Kind == "server" {
			state.Servers[n.Name] = n.Duty
		} else {
			state.Devices[n.Name] = n.Duty
		}
	}
	rows, err := s.pool.Query(ctx, "SELECT person, queue FROM pick WHERE "+holds+" ORDER BY id", at)
	if err != nil {
		return state, translate(err)
	}
	var person, queue string
	_, err = pgx.ForEachRow(rows, []any{&person, &queue}, func() error {
		state.Picks[person] = append(state.Picks[person], queue)
		return nil
	})
	return state, translate(err)
}

// Duties lists what does not serve at a time, nil for the present, by kind and name.
func (s *Store) Duties(ctx context.Context, at *time.Time) ([]live.Note, error) {
	rows, err := s.pool.Query(ctx, "SELECT kind, name, duty, reason, author, valid_from FROM live_state WHERE "+holds+" AND duty <> 'serving' ORDER BY kind, name", at)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[live.Note])
	return out, translate(err)
}

// SetLive notes a server's or device's duty from now on; kind is "server" or "device". The former state ends and is kept.
// It says whether anything changed.
func (s *Store) SetLive(ctx context.Context, n live.Note, e event.Event) (changed bool, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtext('live_state'))"); err != nil {
			return err
		}
		was := live.Serving
		err := tx.QueryRow(ctx, "SELECT duty FROM live_state WHERE kind = $1 AND name = $2 AND valid_to IS NULL", n.Kind, n.Name).Scan(&was)
		if err != nil && err != pgx.ErrNoRows {
			return err
		}
		if changed = was != n.Duty; !changed {
			return nil
		}
		now := time.Now()
		if _, err := tx.Exec(ctx, "UPDATE live_state SET valid_to = greatest(valid_from, $3) WHERE kind = $1 AND name = $2 AND valid_to IS NULL", n.Kind, n.Name, now); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "INSERT INTO live_state (kind, name, duty, reason, author, valid_from) VALUES ($1, $2, $3, $4, $5, $6)", n.Kind, n.Name, n.Duty, n.Reason, n.Author, now)
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Live, n.Name); err != nil {
			return err
		}
		return happened(ctx, tx, e)
	})
	return changed, err
}

// SetPick notes that a person picks a queue, or does so no more. It says whether anything changed.
func (s *Store) SetPick(ctx context.Context, person, queue string, picked bool, e event.Event) (changed bool, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		sql := "UPDATE pick SET valid_to = greatest(valid_from, clock_timestamp()) WHERE person = $1 AND queue = $2 AND valid_to IS NULL"
		if picked {
			sql = "INSERT INTO pick (person, queue) VALUES ($1, $2) ON CONFLICT DO NOTHING"
		}
		tag, err := tx.Exec(ctx, sql, name.Fold(person), queue)
		if changed = err == nil && tag.RowsAffected() > 0; !changed {
			return err
		}
		if err := notify(ctx, tx, event.Live, fmt.Sprint(person)); err != nil {
			return err
		}
		return happened(ctx, tx, e)
	})
	return changed, err
}
