package postgres

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
)

// OnceTable keeps what was done under an Idempotency-Key.
type OnceTable struct{ db }

// Deed gives what was done under a key; ok is false where nothing was.
func (s OnceTable) Deed(ctx context.Context, author, key string) (d event.Deed, ok bool, err error) {
	err = s.pool.QueryRow(ctx, "SELECT attempt, print, at, coalesce(status, 0), media, answer FROM once WHERE "+
		"author = $1 "+
		"AND key = $2", author, key).Scan(&d.ID, &d.Print, &d.At, &d.Status, &d.Media, &d.Answer)
	if errors.Is(err, pgx.ErrNoRows) {
		return d, false, nil
	}
	return d, err == nil, translate(err)
}

// KeepAnswer completes an attempt with what was answered; an attempt that kept nothing has nothing to complete.
func (s OnceTable) KeepAnswer(ctx context.Context, a event.Attempt, status int, media string, answer []byte) error {
	return s.exec(ctx, "UPDATE once SET status = $4, media = $5, answer = $6 WHERE author = $1 AND key = $2 AND "+
		"attempt = $3", a.Author, a.Key, a.ID, status, media, answer)
}

// onceOnly writes down in a transaction that an attempt is being kept, where one is under way. A Conflict fault says
// that another one was.
func onceOnly(ctx context.Context, tx pgx.Tx) error {
	a, ok := ctx.Value(event.OnceKey{}).(event.Attempt)
	if !ok {
		return nil
	}
	tag, err := tx.Exec(ctx, "INSERT INTO once (author, key, attempt, print) VALUES ($1, $2, $3, $4) ON CONFLICT "+
		"(author, key) DO UPDATE SET at = once.at WHERE once.attempt = excluded.attempt", a.Author, a.Key, a.ID, a.Print)
	if err == nil && tag.RowsAffected() == 0 {
		return fault.New(fault.Conflict, "under-way", "wait until it is done, and ask again",
			"the same is being done under this key already")
	}
	return err
}
