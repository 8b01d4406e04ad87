package postgres

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/page"
)

const eventColumns = "id, at, kind, subject, author, says, remote, before, after, sentence"

func events() latest[event.Event] {
	return latest[event.Event]{table: "event", columns: eventColumns, number: "id",
		text: "kind || ' ' || subject || ' ' || author || ' ' || says", scan: pgx.RowToStructByPos[event.Event],
		key: func(e *event.Event) int64 { return e.ID }}
}

// Events gives what happened, newest first, without from where and what changed; kinds of without are left out.
func (s EventTable) Events(ctx context.Context, ask page.Ask, word string, without ...string) (page.Page[event.Event],
	error) {
	l := events()
	if len(without) > 0 {
		l.only("kind <> ALL (?)", without)
	}
	l.columns = "id, at, kind, subject, author, says, sentence"
	l.scan = func(row pgx.CollectableRow) (e event.Event, err error) {
		return e, row.Scan(&e.ID, &e.At, &e.Kind, &e.Subject, &e.Author, &e.Says, &e.Sentence)
	}
	return l.page(ctx, s.db, ask, word)
}

// Audit gives the changes and sign-ins that a filter lets through, newest first.
func (s EventTable) Audit(ctx context.Context, want event.Filter, ask page.Ask) (page.Page[event.Event], error) {
	l := events()
	l.only("kind <> ALL (?)", event.Observed())
	if want.Since != nil {
		l.only("at >= ?", *want.Since)
	}
	if want.Until != nil {
		l.only("at < ?", *want.Until)
	}
	if want.Author != "" {
		l.only("folded(author) = folded(?)", want.Author)
	}
	if want.Subject != "" {
		l.only("folded(subject) = folded(?)", want.Subject)
	}
	if want.Kind != "" {
		l.only("(kind = ? OR split_part(kind, '.', 1) = ?)", want.Kind)
	}
	return l.page(ctx, s.db, ask, want.Word)
}

// lastBackup is when all was backed up last, found by the index of subjects.
const lastBackup = "SELECT at FROM event WHERE folded(subject) = '" + event.BackupSubject + "' AND kind = '" +
	event.BackedUp + "' ORDER BY id DESC LIMIT 1"

// BackedUp gives when all was backed up last; zero where it never was.
func (s EventTable) BackedUp(ctx context.Context) (time.Time, error) {
	var at *time.Time
	if err := s.pool.QueryRow(ctx, "SELECT ("+lastBackup+")").Scan(&at); err != nil || at == nil {
		return time.Time{}, translate(err)
	}
	return *at, nil
}

// ForgetEvents forgets events from before a time, the oldest first and at most so many: those that were seen, and those
// that somebody did. It gives how many.
func (s EventTable) ForgetEvents(ctx context.Context, seen, done time.Time, most int) (n int64, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SET LOCAL cirque.erasing = 'on'"); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "DELETE FROM event WHERE id IN (SELECT id FROM event WHERE at < greatest($1, "+
			"$2::timestamptz) AND at < CASE WHEN kind = ANY($3) THEN $1 ELSE $2 END ORDER BY at LIMIT $4)", seen, done,
			event.Observed(), most)
		n = tag.RowsAffected()
		return err
	})
	return n, err
}
