package postgres

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/driver"
	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

const checkupColumns = "id, machine, queue, author, at, done, rungs, try, tried, model, paper, paper_by, " +
	"paper_at, paper_note"

func scanCheckup(row pgx.CollectableRow) (c endpoint.Checkup, err error) {
	var text []byte
	var paper endpoint.PrintResult
	var at *time.Time
	if err := row.Scan(&c.ID, &c.Machine, &c.Queue, &c.Author, &c.At, &c.Done, &text, &c.Try, &c.Tried, &c.Model,
		&paper.Result, &paper.By, &at, &paper.Note); err != nil {
		return c, err
	}
	if paper.Result != "" && at != nil {
		paper.At, c.PrintResult = *at, &paper
	}
	return c, json.Unmarshal(text, &c.Checks)
}

func (s CheckupTable) oneCheckup(ctx context.Context, sql string, args ...any) (endpoint.Checkup, error) {
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

// AddCheckup keeps that one is asked for, calls the machine's agent, and forgets those of more than a month ago. Of
// want only machine, queue, try and model count.
func (s CheckupTable) AddCheckup(ctx context.Context, want endpoint.Checkup, e event.Event) (c endpoint.Checkup,
	err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM checkup WHERE at < clock_timestamp() - interval '31 days'"); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, "INSERT INTO checkup (machine, queue, author, try, model) VALUES ($1, $2, $3, $4, "+
			"$5) RETURNING "+checkupColumns, name.Fold(want.Machine), want.Queue, e.Author, want.Try, want.Model)
		if err != nil {
			return err
		}
		if c, err = pgx.CollectExactlyOneRow(rows, scanCheckup); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Call, want.Machine); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
	return c, err
}

// Checkup gives one by its number.
func (s CheckupTable) Checkup(ctx context.Context, id int64) (endpoint.Checkup, error) {
	return s.oneCheckup(ctx, "SELECT "+checkupColumns+" FROM checkup WHERE id = $1", id)
}

// AskedCheckup gives the latest that a machine's agent has not answered, asked for since a time.
func (s CheckupTable) AskedCheckup(ctx context.Context, machine string, since time.Time) (endpoint.Checkup, error) {
	return s.oneCheckup(ctx, "SELECT "+checkupColumns+" FROM checkup WHERE machine = $1 AND done IS NULL AND at > $2 "+
		"ORDER BY id DESC LIMIT 1", name.Fold(machine), since)
}

// AnswerCheckup keeps what the agent found and what it says it tried; one that has been answered already, or is another
// machine's, is unknown.
func (s CheckupTable) AnswerCheckup(ctx context.Context, id int64, machine, tried string,
	checks []endpoint.Check) error {
	text, err := json.Marshal(checks)
	if err != nil {
		return err
	}
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE checkup SET done = clock_timestamp(), rungs = $3, tried = $4 WHERE id = $1 AND "+
			"machine = $2 AND done IS NULL", id, name.Fold(machine), text, tried)
		if err == nil && tag.RowsAffected() == 0 {
			err = fault.New(fault.Unknown, "checkup-unknown", "none", "no such checkup of this machine waits for an answer")
		}
		if err != nil {
			return err
		}
		return notify(ctx, tx, event.Endpoint, machine)
	})
}

// TellPrintResult keeps what somebody saw come out of a checkup's test page, and remembers it of the driver with the
// model, where both are known.
func (s CheckupTable) TellPrintResult(ctx context.Context, id int64, saw driver.Seen,
	e event.Event) (c endpoint.Checkup,
	err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "UPDATE checkup SET paper = $2, paper_by = $3, paper_at = clock_timestamp(), paper_note "+
			"= $4 WHERE id = $1 RETURNING "+checkupColumns, id, saw.Result, saw.By, saw.Note)
		if err != nil {
			return err
		}
		if c, err = pgx.CollectExactlyOneRow(rows, scanCheckup); errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "checkup-unknown", "ask for another", "there is no such checkup")
		} else if err != nil {
			return err
		}
		if saw.Model != "" && saw.Driver != "" {
			if _, err := tx.Exec(ctx, `INSERT INTO driver_paper (checkup, model, driver, paper, machine, queue, author, note)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8)
				ON CONFLICT (checkup) DO UPDATE SET paper = excluded.paper, author = excluded.author, note = excluded.note,
				at = clock_timestamp()`, id, saw.Model, saw.Driver, saw.Result, saw.Machine,
				saw.Queue, saw.By, saw.Note); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, event.Endpoint, c.Machine); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
	return c, translate(err)
}

// PrintResults gives what is remembered of drivers with a model, newest first; of all models where it is empty.
func (s CheckupTable) PrintResults(ctx context.Context, model string) ([]driver.Seen, error) {
	rows, err := s.pool.Query(ctx, "SELECT model, driver, paper, machine, queue, author, note, at FROM driver_paper "+
		"WHERE $1 = '' OR model = $1 ORDER BY id DESC LIMIT 1000", model)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[driver.Seen])
	return out, translate(err)
}

// TestPages gives the answered checkups since a time that had a test page, newest first; of one queue where it is
// named.
func (s CheckupTable) TestPages(ctx context.Context, queue string, since time.Time) ([]endpoint.Checkup, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+checkupColumns+" FROM checkup WHERE queue <> '' AND ($1 = '' OR queue = "+
		"$1) AND done >= $2 ORDER BY id DESC LIMIT 20000", queue, since)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanCheckup)
	return out, translate(err)
}
