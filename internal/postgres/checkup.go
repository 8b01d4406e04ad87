package postgres

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/name"
	"cirque/internal/fault"
)

const checkupColumns = "id, machine, queue, author, at, done, rungs"

func scanCheckup(row pgx.CollectableRow) (c endpoint.Checkup, err error) {
	var text []byte
	if err := row.Scan(&c.ID, &c.Machine, &c.Queue, &c.Author, &c.At, &c.Done, &text); err != nil {
		return c, err
	}
	return c, json.Unmarshal(text, &c.Rungs)
}

func (s *Store) oneCheckup(ctx context.Context, sql string, args ...any) (endpoint.Checkup, error) {
	rows, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return endpoint.Checkup{}, translate(err)
	}
	c, err := pgx.CollectExactlyOneRow(rows, scanCheckup)
	if errors.Is(err, pgx.ErrNoRows) {
		return c, fault.New(fault.Unknown, "checkup-unknown", "ask for another", "there is no such checkup")
	}
	return c, translate(err)
}

// AddCheckup keeps that one is asked for, calls the machine's agent, and forgets those of more than a month ago.
func (s *Store) AddCheckup(ctx context.Context, machine, queue string, e event.Event) (c endpoint.Checkup, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM checkup WHERE at < clock_timestamp() - interval '31 days'"); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, "INSERT INTO checkup (machine, queue, author) VALUES ($1, $2, $3) RETURNING "+checkupColumns, name.Fold(machine), queue, e.Author)
		if err != nil {
			return err
		}
		if c, err = pgx.CollectExactlyOneRow(rows, scanCheckup); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Call, machine); err != nil {
			return err
		}
		return happened(ctx, tx, e)
	})
	return c, err
}

// Checkup gives one by its number.
func (s *Store) Checkup(ctx context.Context, id int64) (endpoint.Checkup, error) {
	return s.oneCheckup(ctx, "SELECT "+checkupColumns+" FROM checkup WHERE id = $1", id)
}

// AskedCheckup gives the latest that a machine's agent has not answered, asked for since a time.
func (s *Store) AskedCheckup(ctx context.Context, machine string, since time.Time) (endpoint.Checkup, error) {
	return s.oneCheckup(ctx, "SELECT "+checkupColumns+" FROM checkup WHERE machine = $1 AND done IS NULL AND at > $2 ORDER BY id DESC LIMIT 1", name.Fold(machine), since)
}

// AnswerCheckup keeps what the agent found; one that has been answered already, or is another machine's, is unknown.
func (s *Store) AnswerCheckup(ctx context.Context, id int64, machine string, rungs []endpoint.Rung) error {
	text, err := json.Marshal(rungs)
	if err != nil {
		return err
	}
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE checkup SET done = clock_timestamp(), rungs = $3 WHERE id = $1 AND machine = $2 AND done IS NULL", id, name.Fold(machine), text)
		if err == nil && tag.RowsAffected() == 0 {
			err = fault.New(fault.Unknown, "checkup-unknown", "none", "no such checkup of this machine waits for an answer")
		}
		if err != nil {
			return err
		}
		return notify(ctx, tx, event.Endpoint, machine)
	})
}
