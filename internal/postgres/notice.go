package postgres

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/notice"
	"cirque/core/page"
)

// SeenSince keeps which faults are seen now, and gives since when each has been; those that are not seen any more are
// forgotten.
func (s NoticeTable) SeenSince(ctx context.Context, keys []string, now time.Time) (map[string]time.Time, error) {
	out := map[string]time.Time{}
	err := s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM fault_seen WHERE NOT key = ANY($1)", keys); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "INSERT INTO fault_seen (key, since) SELECT DISTINCT key, $2::timestamptz FROM "+
			"unnest($1::text[]) AS key ON CONFLICT (key) DO NOTHING", keys, now); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, "SELECT key, since FROM fault_seen")
		if err != nil {
			return err
		}
		var key string
		var since time.Time
		_, err = pgx.ForEachRow(rows, []any{&key, &since}, func() error { out[key] = since.UTC(); return nil })
		return err
	})
	return out, err
}

// SeenFaults gives since when faults have been seen, without changing anything.
func (s NoticeTable) SeenFaults(ctx context.Context) (map[string]time.Time, error) {
	rows, err := s.pool.Query(ctx, "SELECT key, since FROM fault_seen")
	if err != nil {
		return nil, translate(err)
	}
	out := map[string]time.Time{}
	var key string
	var since time.Time
	_, err = pgx.ForEachRow(rows, []any{&key, &since}, func() error { out[key] = since.UTC(); return nil })
	return out, translate(err)
}

// Notified lists the faults of which somebody was told and that were not over then.
func (s NoticeTable) Notified(ctx context.Context) ([]notice.Notified, error) {
	rows, err := s.pool.Query(ctx, "SELECT notice, key, says, since, at FROM notice_told ORDER BY notice, key")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[notice.Notified])
	return out, translate(err)
}

// SaveNotified replaces them.
func (s NoticeTable) SaveNotified(ctx context.Context, list []notice.Notified) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM notice_told"); err != nil {
			return err
		}
		for _, t := range list {
			if _, err := tx.Exec(ctx, "INSERT INTO notice_told (notice, key, says, since, at) VALUES ($1, $2, $3, $4, $5)",
				t.Notice, t.Key, t.Says, t.Since, t.At); err != nil {
				return err
			}
		}
		return nil
	})
}

const sentColumns = "id, notice, told, subject, body, trial, ok, says, at"

// AddSent keeps what was sent, with what happened where it is worth telling, and forgets what was sent more than 90
// days ago.
func (s NoticeTable) AddSent(ctx context.Context, list []notice.Sent, events []event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM notice_sent WHERE at < clock_timestamp() - interval '90 days'"); err != nil {
			return err
		}
		for _, x := range list {
			if _, err := tx.Exec(ctx, "INSERT INTO notice_sent (notice, told, subject, body, trial, ok, says) VALUES ($1, $2, "+
				"$3, $4, $5, $6, $7)", x.Notice, x.To, x.Subject, x.Body, x.Trial, x.OK, x.Says); err != nil {
				return err
			}
		}
		for _, e := range events {
			if err := addEvent(ctx, tx, e); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Happened, "notices")
	})
}

// LastSent gives, of each notice, what was sent last.
func (s NoticeTable) LastSent(ctx context.Context) (map[string]notice.Sent, error) {
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT ON (notice) "+sentColumns+" FROM notice_sent ORDER BY notice, id DESC")
	if err != nil {
		return nil, translate(err)
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[notice.Sent])
	out := make(map[string]notice.Sent, len(list))
	for _, v := range list {
		out[v.Notice] = v
	}
	return out, translate(err)
}

// Sent gives what was sent, newest first; of one notice where it is named.
func (s NoticeTable) Sent(ctx context.Context, of string, ask page.Ask, word string) (page.Page[notice.Sent], error) {
	l := latest[notice.Sent]{table: "notice_sent", columns: sentColumns, number: "id",
		text: "notice || ' ' || told || ' ' || subject || ' ' || says", scan: pgx.RowToStructByPos[notice.Sent],
		key: func(v *notice.Sent) int64 { return v.ID }}
	if of != "" {
		l.only("notice = ?", of)
	}
	return l.page(ctx, s.db, ask, word)
}
