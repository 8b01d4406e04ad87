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

func scanExercise(row pgx.CollectableRow) (e continuity.Exercise, err error) {
	var id int64
	var text []byte
	if err := row.Scan(&id, &text); err != nil {
		return e, err
	}
	err = json.Unmarshal(text, &e)
	e.ID = id
	return e, err
}

// AddExercise keeps one that begins; a Conflict fault where one with that server runs already.
func (s ExerciseTable) AddExercise(ctx context.Context, e continuity.Exercise,
	ev event.Event) (continuity.Exercise, error) {
	text, err := json.Marshal(e)
	if err != nil {
		return e, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "INSERT INTO exercise (server, state) VALUES ($1, $2) RETURNING id", e.Server,
			text).Scan(&e.ID)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "exercise-runs", "wait for its end, or stop it: cirque exercise list",
				"an exercise with %s runs already", e.Server)
		}
		if err != nil {
			return err
		}
		return happened(ctx, tx, ev)
	})
	return e, err
}

// StopExercise notes who ends one before its time; a Conflict fault where it is over.
func (s ExerciseTable) StopExercise(ctx context.Context, id int64, by string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE exercise SET state = jsonb_set(state, '{stopped}', to_jsonb($2::text)) WHERE id = "+
			"$1 AND ended IS NULL", id, by)
		if err == nil && tag.RowsAffected() == 0 {
			err = fault.New(fault.Conflict, "exercise-over", "see its report: cirque exercise show",
				"the exercise %d is over", id)
		}
		return err
	})
}

// SaveExercise keeps how one stands; who stopped it meanwhile stays.
func (s ExerciseTable) SaveExercise(ctx context.Context, e continuity.Exercise, events []event.Event) error {
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
			if err := happened(ctx, tx, ev); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Live, "exercise")
	})
}

// Exercises lists the latest, newest first; with open only those that run.
func (s ExerciseTable) Exercises(ctx context.Context, open bool, limit int) ([]continuity.Exercise, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, state FROM exercise WHERE NOT $1 OR ended IS NULL ORDER BY id "+
		"DESC LIMIT $2", open, limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanExercise)
	return out, translate(err)
}

// Exercise gives one; an Unknown fault where there is none.
func (s ExerciseTable) Exercise(ctx context.Context, id int64) (continuity.Exercise, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, state FROM exercise WHERE id = $1", id)
	if err != nil {
		return continuity.Exercise{}, translate(err)
	}
	e, err := pgx.CollectExactlyOneRow(rows, scanExercise)
	if errors.Is(err, pgx.ErrNoRows) {
		return e, fault.New(fault.Unknown, "exercise-unknown", "see cirque exercise list", "there is no exercise %d", id)
	}
	return e, translate(err)
}
