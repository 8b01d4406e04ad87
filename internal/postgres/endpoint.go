package postgres

import (
	"context"
	"encoding/json"
	"errors"

	"github.com/jackc/pgx/v5"

	"cirque/core/endpoint"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

// Endpoints lists all endpoints by name.
func (s EndpointTable) Endpoints(ctx context.Context) ([]endpoint.Record, error) {
	rows, err := s.pool.Query(ctx, "SELECT first_seen, last_seen, seen_from, report FROM endpoint ORDER BY folded")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanEndpoint)
	return out, translate(err)
}

// Endpoint gives one endpoint; an Unknown fault where none of that name has reported.
func (s EndpointTable) Endpoint(ctx context.Context, machine string) (endpoint.Record, error) {
	rows, err := s.pool.Query(ctx, "SELECT first_seen, last_seen, seen_from, report FROM endpoint WHERE folded = $1",
		name.Fold(machine))
	if err != nil {
		return endpoint.Record{}, translate(err)
	}
	r, err := pgx.CollectExactlyOneRow(rows, scanEndpoint)
	if errors.Is(err, pgx.ErrNoRows) {
		return r, fault.New(fault.Unknown, "endpoint-unknown", "see cirque endpoint list",
			"no endpoint %q has reported", machine)
	}
	return r, translate(err)
}

func scanEndpoint(row pgx.CollectableRow) (endpoint.Record, error) {
	var r endpoint.Record
	var text []byte
	if err := row.Scan(&r.FirstSeen, &r.LastSeen, &r.SeenFrom, &text); err != nil {
		return r, err
	}
	return r, json.Unmarshal(text, &r.Report)
}

// SaveReport keeps an endpoint's latest report, with what happened; servers are those to which its own queues lead.
func (s EndpointTable) SaveReport(ctx context.Context, r endpoint.Report, from string, servers []string,
	events []event.Event) (endpoint.Record, error) {
	rec := endpoint.Record{Report: r, SeenFrom: from}
	text, err := json.Marshal(r)
	if err != nil {
		return rec, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `INSERT INTO endpoint (folded, report, seen_from, servers, failing) VALUES ($1, $2,
		$3, $4, $5)
			ON CONFLICT (folded) DO UPDATE SET report = excluded.report, seen_from = excluded.seen_from, servers =
			excluded.servers, failing = excluded.failing, last_seen = clock_timestamp() RETURNING first_seen, last_seen`,
			name.Fold(r.Machine), text, from, servers, len(r.Failures) > 0).Scan(&rec.FirstSeen, &rec.LastSeen)
		if err != nil {
			return err
		}
		for _, e := range events {
			if err := happened(ctx, tx, e); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Endpoint, r.Machine)
	})
	return rec, err
}

// Call tells every process that an endpoint's agent is to report.
func (s EndpointTable) Call(ctx context.Context, machine string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if err := notify(ctx, tx, event.Call, machine); err != nil {
			return err
		}
		return happened(ctx, tx, e)
	})
}

// AddEvent records something that happened.
func (s EventTable) AddEvent(ctx context.Context, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error { return happened(ctx, tx, e) })
}

// Events lists what happened, newest first; before is an event's id, 0 for the newest.
func (s EventTable) Events(ctx context.Context, before int64, limit int) ([]event.Event, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, at, kind, subject, author, says FROM event WHERE $1 = 0 OR id < $1 ORDER "+
		"BY id DESC LIMIT $2", before, limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (e event.Event, err error) {
		return e, row.Scan(&e.ID, &e.At, &e.Kind, &e.Subject, &e.Author, &e.Says)
	})
	return out, translate(err)
}
