package postgres

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/live"
	"cirque/core/name"
)

// validAt is the part of a query that takes the rows of a time, $1; null for the present.
const validAt = "(CASE WHEN $1::timestamptz IS NULL THEN valid_to IS NULL ELSE valid_from <= $1 AND (valid_to IS " +
	"NULL OR valid_to > $1) END)"

// Live gives the live state of a time, nil for the present.
func (s DutyTable) Live(ctx context.Context, at *time.Time) (live.State, error) {
	state := live.State{Servers: map[string]live.Duty{}, Devices: map[string]live.Duty{}, Shares: map[string]float64{},
		Picks: map[string][]string{}}
	notes, err := s.Duties(ctx, at)
	if err != nil {
		return state, err
	}
	for _, n := range notes {
		switch {
		case n.Kind == "server" && n.Duty == live.Serving:
			state.Shares[n.Name] = n.Share
		case n.Kind == "server":
			state.Servers[n.Name] = n.Duty
		default:
			state.Devices[n.Name] = n.Duty
		}
	}
	if state.Lists, err = s.lists(ctx, at); err != nil {
		return state, err
	}
	rows, err := s.pool.Query(ctx, "SELECT person, queue FROM pick WHERE "+validAt+" ORDER BY id", at)
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

const noteColumns = "kind, name, duty, reason, author, valid_from, share, begun, until, moving"

// Duties lists what does not serve, or serves only a share of its people, at a time, nil for the present, by kind and
// name.
func (s DutyTable) Duties(ctx context.Context, at *time.Time) ([]live.Note, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+noteColumns+" FROM live_state WHERE "+validAt+" AND (duty <> 'serving' OR "+
		"share < 1) ORDER BY kind, name", at)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[live.Note])
	return out, translate(err)
}

// LastOut gives the latest duty of a server, since a time, that was not serving; ok is false where there was none.
func (s DutyTable) LastOut(ctx context.Context, server string, since time.Time) (n live.Note, ok bool, err error) {
	rows, err := s.pool.Query(ctx, "SELECT "+noteColumns+" FROM live_state WHERE kind = 'server' AND name = $1 AND duty "+
		"<> 'serving' AND (valid_to IS NULL OR valid_to > $2) ORDER BY valid_from DESC LIMIT 1", server, since)
	if err != nil {
		return n, false, translate(err)
	}
	n, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[live.Note])
	if errors.Is(err, pgx.ErrNoRows) {
		return n, false, nil
	}
	return n, err == nil, translate(err)
}

// SetLive notes a server's or device's duty from now on. The former state ends and is kept. only says, of what was,
// whether it may be changed; nil allows everything. A drain takes another reason, or another end. Of something that
// goes out of duty it is noted how many endpoints lead to it; an event without a kind is not kept. It says whether
// anything changed.
func (s DutyTable) SetLive(ctx context.Context, n live.Note, only func(was live.Note) bool,
	e event.Event) (changed bool,
	err error) {
	if n.Share == 0 {
		n.Share = 1
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtext('live_state'))"); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, "SELECT "+noteColumns+" FROM live_state WHERE kind = $1 AND name = $2 AND "+
			"valid_to IS NULL", n.Kind, n.Name)
		if err != nil {
			return err
		}
		was, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[live.Note])
		switch {
		case errors.Is(err, pgx.ErrNoRows):
			was = live.Note{Kind: n.Kind, Name: n.Name, Duty: live.Serving, Share: 1}
		case err != nil:
			return err
		}
		sameEnd := was.Until == nil && n.Until == nil || was.Until != nil && n.Until != nil && was.Until.Equal(*n.Until)
		again := n.Duty == live.Drained && (!sameEnd || was.Reason != n.Reason)
		changed = (was.Duty != n.Duty || was.Share != n.Share || again) && (only == nil || only(was))
		if !changed {
			return nil
		}
		switch {
		case n.Duty != live.Serving && was.Duty != live.Serving:
			n.Moving = was.Moving
		case n.Duty != live.Serving && n.Kind == "server":
			if err := tx.QueryRow(ctx, "SELECT count(*) FROM endpoint WHERE servers @> ARRAY[$1]",
				n.Name).Scan(&n.Moving); err != nil {
				return err
			}
		}
		now := time.Now()
		if _, err := tx.Exec(ctx, "UPDATE live_state SET valid_to = greatest(valid_from, $3) WHERE kind = $1 AND name = $2 "+
			"AND valid_to IS NULL", n.Kind, n.Name, now); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "INSERT INTO live_state (kind, name, duty, reason, author, valid_from, share, begun, until, "+
			"moving) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)",
			n.Kind, n.Name, n.Duty, n.Reason, n.Author, now, n.Share, n.Begun, n.Until, n.Moving)
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Live, n.Name); err != nil || e.Kind == "" {
			return err
		}
		return addEvent(ctx, tx, e.With(map[string]any{"duty": was.Duty}, map[string]any{"duty": n.Duty, "reason": n.Reason}))
	})
	return changed, err
}

// SetPick notes that a person picks a queue, or does so no more. It says whether anything changed.
func (s PickTable) SetPick(ctx context.Context, person, queue string, picked bool, e event.Event) (changed bool,
	err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		sql := "UPDATE pick SET valid_to = greatest(valid_from, clock_timestamp()) WHERE person = $1 AND queue = $2 AND " +
			"valid_to IS NULL"
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
		return addEvent(ctx, tx, e.With(map[string]any{"person": person, "queue": queue, "picked": !picked},
			map[string]any{"person": person, "queue": queue, "picked": picked}))
	})
	return changed, err
}
