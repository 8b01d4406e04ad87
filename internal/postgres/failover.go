package postgres

import (
	"context"
	"encoding/json"
	"errors"

	"github.com/jackc/pgx/v5"

	"cirque/core/continuity"
	"cirque/core/event"
	"cirque/core/fault"
)

func scanFailoverTest(row pgx.CollectableRow) (e continuity.FailoverTest, err error) {
	var id int64
	var text []byte
	if err := row.Scan(&id, &text); err != nil {
		return e, err
	}
	err = json.Unmarshal(text, &e)
	e.ID = id
	return e, err
}

// AddFailoverTest keeps one that begins; a Conflict fault where one with that server runs already.
func (s FailoverTable) AddFailoverTest(ctx context.Context, e continuity.FailoverTest,
	ev event.Event) (continuity.FailoverTest, error) {
	text, err := json.Marshal(e)
	if err != nil {
		return e, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "INSERT INTO exercise (server, state) VALUES ($1, $2) RETURNING id", e.Server,
			text).Scan(&e.ID)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "failover-test-runs", "wait for its end, or stop it: cirque failover-test list",
				"a failover test with %s runs already", e.Server)
		}
		if err != nil {
			return err
		}
		return addEvent(ctx, tx, ev)
	})
	return e, err
}

// StopFailoverTest notes who ends one before its time; a Conflict fault where it is over.
func (s FailoverTable) StopFailoverTest(ctx context.Context, id int64, by string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE exercise SET state = jsonb_set(state, '{stopped}', to_jsonb($2::text)) WHERE id = "+
			"$1 AND ended IS NULL", id, by)
		if err == nil && tag.RowsAffected() == 0 {
			err = fault.New(fault.Conflict, "failover-test-over", "see its report: cirque failover-test show",
				"the failover test %d is over", id)
		}
		return err
	})
}

// SaveFailoverTest keeps how one stands; who stopped it meanwhile stays.
func (s FailoverTable) SaveFailoverTest(ctx context.Context, e continuity.FailoverTest, events []event.Event) error {
	text, err := json.Marshal(e)
	if err != nil {
		return err
	}
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "UPDATE exercise SET state = $2::jsonb || CASE WHEN state ? 'stopped' THEN "+
			"jsonb_build_object('stopped', state->'stopped') ELSE '{}'::jsonb END, ended = $3 WHERE id = $1", e.ID, text,
			e.Ended); err != nil {
			return err
		}
		for _, ev := range events {
			if err := addEvent(ctx, tx, ev); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Live, "failover-test")
	})
}

// FailoverTests lists the latest, newest first; with open only those that run.
func (s FailoverTable) FailoverTests(ctx context.Context, open bool, limit int) ([]continuity.FailoverTest, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, state FROM exercise WHERE NOT $1 OR ended IS NULL ORDER BY id "+
		"DESC LIMIT $2", open, limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanFailoverTest)
	return out, translate(err)
}

// FailoverTest gives one; an Unknown fault where there is none.
func (s FailoverTable) FailoverTest(ctx context.Context, id int64) (continuity.FailoverTest, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, state FROM exercise WHERE id = $1", id)
	if err != nil {
		return continuity.FailoverTest{}, translate(err)
	}
	e, err := pgx.CollectExactlyOneRow(rows, scanFailoverTest)
	if errors.Is(err, pgx.ErrNoRows) {
		return e, fault.New(fault.Unknown, "failover-test-unknown", "see cirque failover-test list",
			"there is no failover test %d", id)
	}
	return e, translate(err)
}
