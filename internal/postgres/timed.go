package postgres

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
)

// TimeDraft has a draft, at the version that was looked at, wait for its moment, t.At; main makes room for another of
// that name, and the draft is called timed-ID. It keeps what it kept. A Conflict fault with code "draft-moved" where
// it has moved on.
func (s DraftTable) TimeDraft(ctx context.Context, d estate.Draft, t estate.Timed, main string,
	saying func(called string) event.Event) (out estate.Draft, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		var err error
		out, err = oneDraft(ctx, tx, "UPDATE draft SET publish_at = $3, publish_why = $4, publish_breaks = $5, "+
			"publish_failed = '', publish_failed_at = NULL, proposed_at = NULL, proposed_why = '', version = version + 1, name "+
			"= CASE name WHEN $6 THEN 'timed-' || id ELSE name END WHERE id = $1 AND version = $2 RETURNING "+draftColumns,
			d.ID, d.Version, t.At, t.Why, t.Breaks, main)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Conflict, "draft-moved", "look at the draft again", "the draft was changed meanwhile")
		}
		if err != nil {
			return err
		}
		return toldOfDraft(ctx, tx, d, saying(out.Name))
	})
	out.Kept = d.Kept
	return out, err
}

// UntimeDraft takes the moment off a draft that waits for it; failed says why it could not be published, empty where
// somebody thought better of it. Where the owner has no draft called main, it is called that again. An Unknown fault
// where it does not wait.
func (s DraftTable) UntimeDraft(ctx context.Context, d estate.Draft, failed, main string, e event.Event) (
	out estate.Draft, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtextextended($1, 0))", "draft "+d.Owner+"/"+
			main); err != nil {
			return err
		}
		var err error
		out, err = oneDraft(ctx, tx, "UPDATE draft SET publish_at = NULL, publish_failed = $2, publish_failed_at = CASE $2 "+
			"WHEN '' THEN NULL ELSE clock_timestamp() END, version = version + 1, name = CASE WHEN name = 'timed-' || id AND "+
			"NOT EXISTS (SELECT 1 FROM draft o WHERE o.owner = draft.owner AND o.name = $3) THEN $3 ELSE name END "+
			"WHERE id = $1 AND publish_at IS NOT NULL RETURNING "+draftColumns, d.ID, failed, main)
		if errors.Is(err, pgx.ErrNoRows) {
			return fault.New(fault.Unknown, "draft-not-timed", "see cirque publish waiting", "no draft with the number %d "+
				"waits to be published", d.ID)
		}
		if err != nil {
			return err
		}
		return toldOfDraft(ctx, tx, d, e)
	})
	out.Kept = d.Kept
	return out, err
}

// DueDrafts gives the drafts whose moment has come, the earliest first, and when the next one's comes, nil where none
// waits.
func (s DraftTable) DueDrafts(ctx context.Context, now time.Time) (due []estate.Draft, next *time.Time, err error) {
	rows, err := s.pool.Query(ctx, "SELECT "+draftColumns+" FROM draft WHERE publish_at IS NOT NULL ORDER BY publish_at, "+
		"id LIMIT 100")
	if err != nil {
		return nil, nil, translate(err)
	}
	all, err := pgx.CollectRows(rows, scanDraft)
	for i, d := range all {
		if d.Timed.At.After(now) {
			return all[:i], d.Timed.At, nil
		}
	}
	return all, nil, translate(err)
}

// FailedDrafts gives the drafts that could not be published when their time had come.
func (s DraftTable) FailedDrafts(ctx context.Context) ([]estate.Draft, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+draftColumns+" FROM draft WHERE publish_failed <> '' ORDER BY id")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanDraft)
	return out, translate(err)
}

// Comments gives what was said of a draft, or of what was published with a revision, the first first.
func (s DraftTable) Comments(ctx context.Context, draft int64, revision int) ([]estate.Comment, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, author, at, list, name, says FROM draft_comment WHERE draft = $1 OR "+
		"revision = $2 ORDER BY id", draft, revision)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[estate.Comment])
	return append([]estate.Comment{}, out...), translate(err)
}

// AddComment keeps what somebody says of a draft; an Unknown fault where there is none such.
func (s DraftTable) AddComment(ctx context.Context, d estate.Draft, c estate.Comment, e event.Event) (estate.Comment,
	error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "INSERT INTO draft_comment (draft, list, name, author, says) SELECT id, $2, $3, $4, $5 FROM "+
			"draft WHERE id = $1 RETURNING id, at", d.ID, c.List, c.Object, c.Author, c.Says).Scan(&c.ID, &c.At)
		if errors.Is(err, pgx.ErrNoRows) {
			return draftUnknown(d.ID)
		}
		if err != nil {
			return err
		}
		return toldOfDraft(ctx, tx, d, e)
	})
	return c, err
}

// CopyComments has what was said of one draft stand beside another, too.
func (s DraftTable) CopyComments(ctx context.Context, from, to int64) error {
	_, err := s.pool.Exec(ctx, "INSERT INTO draft_comment (draft, list, name, author, says, at) SELECT $2, list, name, "+
		"author, says, at FROM draft_comment WHERE draft = $1 ORDER BY id", from, to)
	return translate(err)
}

// draftTimed is the fault of editing what waits.
func draftTimed(id int64, at time.Time) error {
	return fault.New(fault.Conflict, "draft-timed", fmt.Sprintf("take it back first: cirque publish cancel %d; or use "+
		"another draft, with --draft NAME", id), "the draft waits to be published at %s, as it is", at.UTC().Format(
		"2006-01-02 15:04:05 UTC"))
}
