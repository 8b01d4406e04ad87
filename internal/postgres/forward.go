package postgres

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
)

// Forwarding gives how far the audit has been sent to somebody, and begins at what is written from now on where it
// never was.
func (s EventTable) Forwarding(ctx context.Context, target string) (f event.Forwarding, err error) {
	f, err = s.forwarding(ctx, target)
	if !errors.Is(err, pgx.ErrNoRows) {
		return f, translate(err)
	}
	if err := s.exec(ctx, "INSERT INTO audit_forward (target, xid, id) VALUES ($1, pg_snapshot_xmin("+
		"pg_current_snapshot()), 0) ON CONFLICT DO NOTHING", target); err != nil {
		return f, err
	}
	f, err = s.forwarding(ctx, target)
	return f, translate(err)
}

func (s EventTable) forwarding(ctx context.Context, target string) (f event.Forwarding, err error) {
	f.Target = target
	rows, err := s.pool.Query(ctx, `SELECT xid::text, id, at, code, says, fix, since, (SELECT count(*) FROM (SELECT FROM
			event e WHERE (e.xid, e.id) > (f.xid, f.id) AND e.kind <> ALL ($2) LIMIT 1000) AS waiting) FROM audit_forward f
		WHERE target = $1`, target, event.Observed())
	if err != nil {
		return f, err
	}
	return pgx.CollectExactlyOneRow(rows, func(row pgx.CollectableRow) (event.Forwarding, error) {
		err := row.Scan(&f.Place.Transaction, &f.Place.ID, &f.At, &f.Code, &f.Says, &f.Fix, &f.Since, &f.Waiting)
		return f, err
	})
}

// Forwarded notes how far the audit has been sent, and how that goes.
func (s EventTable) Forwarded(ctx context.Context, f event.Forwarding) error {
	return s.exec(ctx, "UPDATE audit_forward SET xid = $2::text::xid8, id = $3, at = $4, code = $5, says = $6, fix = $7, "+
		"since = CASE WHEN code = $5 THEN since ELSE clock_timestamp() END WHERE target = $1", f.Target,
		f.Place.Transaction, f.Place.ID, f.At, f.Code, f.Says, f.Fix)
}

// AuditAfter gives the entries of the audit after a place, in an order in which none is overtaken: what is being
// written still, and what follows it, is left for the next time. places are where each stands. A database that was put
// back from a copy counts transactions anew; then what is after the place is told by the numbers of events.
func (s EventTable) AuditAfter(ctx context.Context, after event.Place, most int) (list []event.Event,
	places []event.Place, err error) {
	var restored bool
	if err := s.pool.QueryRow(ctx, "SELECT $1::text::xid8 > pg_snapshot_xmax(pg_current_snapshot())",
		after.Transaction).Scan(&restored); err != nil {
		return nil, nil, translate(err)
	}
	const settled = "xid < pg_snapshot_xmin(pg_current_snapshot())"
	which, order := "(xid, id) > ($1::text::xid8, $2) AND "+settled, "e.xid, id"
	if restored { // what counts beyond this server's transactions is from before
		which, order = "$1 <> '' AND id > $2 AND ("+settled+" OR xid > pg_snapshot_xmax(pg_current_snapshot()))", "id"
	}
	rows, err := s.pool.Query(ctx, "SELECT "+eventColumns+", xid::text FROM event e WHERE "+which+
		" AND kind <> ALL ($3) ORDER BY "+order+" LIMIT $4", after.Transaction, after.ID, event.Observed(), most)
	if err != nil {
		return nil, nil, translate(err)
	}
	list, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) (e event.Event, err error) {
		var p event.Place
		err = row.Scan(&e.ID, &e.At, &e.Kind, &e.Subject, &e.Author, &e.Says, &e.Remote, &e.Before, &e.After, &e.Sentence,
			&p.Transaction)
		p.ID = e.ID
		places = append(places, p)
		return e, err
	})
	return list, places, translate(err)
}
