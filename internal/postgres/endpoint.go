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

const endpointColumns = "first_seen, last_seen, seen_from, report"

// EachEndpoint calls f for every endpoint, in no order; it holds one of them at a time.
func (s EndpointTable) EachEndpoint(ctx context.Context, f func(endpoint.Record) error) error {
	rows, err := s.pool.Query(ctx, "SELECT "+endpointColumns+" FROM endpoint")
	if err != nil {
		return translate(err)
	}
	return each(rows, f)
}

// EndpointsNamed gives those of some endpoints that have reported, by folded name.
func (s EndpointTable) EndpointsNamed(ctx context.Context, folded []string) ([]endpoint.Record, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+endpointColumns+" FROM endpoint WHERE folded = ANY($1) ORDER BY last_seen",
		folded)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanEndpoint)
	return out, translate(err)
}

func each(rows pgx.Rows, f func(endpoint.Record) error) error {
	defer rows.Close()
	for rows.Next() {
		r, err := scanEndpoint(rows)
		if err != nil {
			return translate(err)
		}
		if err := f(r); err != nil {
			return err
		}
	}
	return translate(rows.Err())
}

// Endpoint gives one endpoint; an Unknown fault where none of that name has reported.
func (s EndpointTable) Endpoint(ctx context.Context, machine string) (endpoint.Record, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+endpointColumns+" FROM endpoint WHERE folded = $1",
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
// happens says what that is, once it is known how the endpoint stood before.
func (s EndpointTable) SaveReport(ctx context.Context, r endpoint.Report, from string, servers []string,
	happens func(before endpoint.Before) []event.Event) (endpoint.Record, error) {
	rec := endpoint.Record{Report: r, SeenFrom: from}
	text, err := json.Marshal(r)
	if err != nil {
		return rec, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		var was *bool
		err := tx.QueryRow(ctx, `WITH was AS (SELECT failing FROM endpoint WHERE folded = $1)
			INSERT INTO endpoint (folded, report, seen_from, servers, failing) VALUES ($1, $2, $3, $4, $5)
			ON CONFLICT (folded) DO UPDATE SET report = excluded.report, seen_from = excluded.seen_from,
			servers = excluded.servers, failing = excluded.failing, last_seen = clock_timestamp()
			RETURNING first_seen, last_seen, (SELECT failing FROM was)`,
			name.Fold(r.Machine), text, from, servers, len(r.Failures) > 0).Scan(&rec.FirstSeen, &rec.LastSeen, &was)
		if err != nil {
			return err
		}
		before := endpoint.Before{Known: was != nil, Failing: was != nil && *was}
		for _, e := range happens(before) {
			if err := addEvent(ctx, tx, e); err != nil {
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
		return addEvent(ctx, tx, e)
	})
}

// AddEvent records something that happened.
func (s EventTable) AddEvent(ctx context.Context, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error { return addEvent(ctx, tx, e) })
}
