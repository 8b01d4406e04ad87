package postgres

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"

	"cirque/core/access"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
)

const requestColumns = "id, person, queue, reason, at, state, answered_at, answered_by, answer, drafted_by, " +
	"drafted_at, " +
	"drafted_says"

// AddRequest keeps a person's request; a Conflict fault where the same is open already.
func (s RequestTable) AddRequest(ctx context.Context, r access.Request) (access.Request, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "INSERT INTO request (person, folded, queue, reason) VALUES ($1, $2, $3, $4) RETURNING "+
			"id, at, state", r.Person, name.Fold(r.Person), r.Queue, r.Reason).Scan(&r.ID, &r.At, &r.State)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "request-open", "wait for the answer", "%s has asked for %s already",
				r.Person, r.Queue)
		}
		if err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Requested, Subject: r.Queue, Author: r.Person}.Saying(
			"{person} asks for {queue}: {reason}", "person", event.Person(r.Person), "queue", r.Queue, "reason",
			r.Reason).With(nil, r))
	})
	return r, err
}

// Requests lists the latest, of a person or of all, open ones first.
func (s RequestTable) Requests(ctx context.Context, persons []string, limit int) ([]access.Request, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+requestColumns+" FROM request WHERE $1::text[] IS NULL OR folded = ANY($1) "+
		"ORDER BY state <> 'open', id DESC LIMIT $2", persons, limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[access.Request])
	return out, translate(err)
}

// Request gives one; an Unknown fault where there is none.
func (s RequestTable) Request(ctx context.Context, id int64) (access.Request, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+requestColumns+" FROM request WHERE id = $1", id)
	if err != nil {
		return access.Request{}, translate(err)
	}
	r, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[access.Request])
	if errors.Is(err, pgx.ErrNoRows) {
		return r, fault.New(fault.Unknown, "request-unknown", "see cirque request list", "there is no request %d", id)
	}
	return r, translate(err)
}

// DraftRequest notes that an open request was granted in somebody's draft; a Conflict fault where it has been answered.
func (s RequestTable) DraftRequest(ctx context.Context, id int64, author, says string) (access.Request, error) {
	return s.change(ctx, id, "drafted_at = clock_timestamp(), drafted_by = $2, drafted_says = $3", author, says)
}

// change alters an open request and tells of it.
func (s RequestTable) change(ctx context.Context, id int64, set string, args ...any) (r access.Request, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "UPDATE request SET "+set+" WHERE id = $1 AND state = 'open' RETURNING "+requestColumns,
			append([]any{id}, args...)...)
		if err != nil {
			return err
		}
		r, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[access.Request])
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Conflict, "request-answered", "see cirque request list", "the request %d has been "+
				"answered already", id)
		}
		if err != nil {
			return err
		}
		state, author := r.State, r.AnsweredBy
		if state == access.RequestOpen {
			state, author = "granted in a draft", r.DraftedBy
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Answered, Subject: r.Queue, Author: author}.Saying(
			"The request of {person} for {queue} was {state}", "person", event.Person(r.Person), "queue", r.Queue, "state",
			state).With(nil, r))
	})
	return r, err
}

// Drafted lists the open requests that were granted in a draft.
func (s RequestTable) Drafted(ctx context.Context) ([]access.Request, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+requestColumns+" FROM request WHERE state = 'open' AND drafted_by <> ''")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[access.Request])
	return out, translate(err)
}

// AnswerRequest ends an open request; a Conflict fault where it has been answered.
func (s RequestTable) AnswerRequest(ctx context.Context, id int64, state, author, says string) (access.Request, error) {
	return s.change(ctx, id, "state = $2, answered_at = clock_timestamp(), answered_by = $3, answer = $4", state, author,
		says)
}
