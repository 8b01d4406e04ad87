package postgres

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/page"
)

const revisionColumns = "number, author, reason, at"

// Current gives the newest revision; before the first, revision 0 with an empty document.
func (s EstateTable) Current(ctx context.Context) (estate.Revision, *estate.Document, error) {
	r, doc, err := s.revision(ctx, "SELECT "+revisionColumns+", document FROM revision ORDER BY number DESC LIMIT 1")
	if fault.Is(err, fault.Unknown) {
		return estate.Revision{}, &estate.Document{Estate: estate.Version}, nil
	}
	return r, doc, err
}

// CurrentRevision gives the newest revision without its document, number 0 before the first.
func (s EstateTable) CurrentRevision(ctx context.Context) (estate.Revision, error) {
	list, err := s.Revisions(ctx, 1)
	if err != nil || len(list) == 0 {
		return estate.Revision{}, err
	}
	return list[0], nil
}

// Revision gives one revision; an Unknown fault where there is none of that number.
func (s EstateTable) Revision(ctx context.Context, number int) (estate.Revision, *estate.Document, error) {
	return s.revision(ctx, "SELECT "+revisionColumns+", document FROM revision WHERE number = $1", number)
}

func (s EstateTable) revision(ctx context.Context, query string, args ...any) (estate.Revision,
	*estate.Document, error) {
	var r estate.Revision
	var text []byte
	err := s.pool.QueryRow(ctx, query, args...).Scan(&r.Number, &r.Author, &r.Reason, &r.At, &text)
	if errors.Is(err, pgx.ErrNoRows) {
		return r, nil, fault.New(fault.Unknown, "revision-unknown", "see cirque history", "there is no such revision "+
			"of the estate")
	}
	if err != nil {
		return r, nil, translate(err)
	}
	doc := new(estate.Document)
	return r, doc, json.Unmarshal(text, doc)
}

// RevisionsPage gives revisions, newest first.
func (s EstateTable) RevisionsPage(ctx context.Context, ask page.Ask, word string) (page.Page[estate.Revision], error) {
	l := latest[estate.Revision]{table: "revision", columns: revisionColumns, number: "number",
		text: "author || ' ' || reason", scan: pgx.RowToStructByPos[estate.Revision],
		key: func(r *estate.Revision) int64 { return int64(r.Number) }}
	return l.page(ctx, s.db, ask, word)
}

// Revisions lists the newest revisions.
func (s EstateTable) Revisions(ctx context.Context, limit int) ([]estate.Revision, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+revisionColumns+" FROM revision ORDER BY number DESC LIMIT $1", limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[estate.Revision])
	return out, translate(err)
}

// Publish makes the document that build gives the next revision, and drops the draft that it came from unless that is
// nil or has been changed since; of one that waits for its moment nothing is published then. build is asked while
// nobody else can publish: it gets the number of the newest revision, and whatever fault it gives ends the attempt. A
// nil document publishes nothing.
func (s EstateTable) Publish(ctx context.Context, from *estate.Draft, author, reason string,
	build func(ctx context.Context,
		current int) (*estate.Document, error)) (estate.Revision, error) {
	r := estate.Revision{Author: author, Reason: reason}
	err := s.in(ctx, func(tx pgx.Tx) error {
		// One publisher at a time, so that numbers have no gaps and nobody is overtaken unseen.
		if _, err := tx.Exec(ctx, "LOCK TABLE revision IN EXCLUSIVE MODE"); err != nil {
			return err
		}
		var current int
		if err := tx.QueryRow(ctx, "SELECT coalesce(max(number), 0) FROM revision").Scan(&current); err != nil {
			return err
		}
		doc, err := build(ctx, current)
		if err != nil {
			return err
		}
		if from != nil && from.ID != 0 {
			if _, err := tx.Exec(ctx, "UPDATE draft_comment SET draft = NULL, revision = $2 WHERE draft = $1 AND $3", from.ID,
				current+1, doc != nil); err != nil {
				return err
			}
			tag, err := tx.Exec(ctx, "DELETE FROM draft WHERE id = $1 AND version = $2", from.ID, from.Version)
			if err != nil {
				return err
			}
			if from.Timed.At != nil && tag.RowsAffected() == 0 { // taken back at this very moment
				return fault.New(fault.Conflict, "draft-moved", "look at the draft again", "the draft was changed meanwhile")
			}
			if err := notify(ctx, tx, event.Draft, from.Author); err != nil {
				return err
			}
		}
		if doc == nil {
			return nil
		}
		text, err := json.Marshal(doc)
		if err != nil {
			return err
		}
		err = tx.QueryRow(ctx, "INSERT INTO revision (number, document, author, reason) VALUES ($1, $2, $3, $4) "+
			"RETURNING number, at", current+1, text, author, reason).Scan(&r.Number, &r.At)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "SELECT note_changes($1)", r.Number); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Estate, fmt.Sprint(r.Number)); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.Published, Subject: fmt.Sprint(r.Number), Author: author}.Saying(
			"Revision {number} was published: {reason}", "number", r.Number, "reason",
			reason).With(map[string]int{"revision": r.Number - 1},
			map[string]int{"revision": r.Number}))
	})
	return r, err
}

// LastChanges gives, for each of some objects, the latest revision up to one that changed it. An object that none is
// known to have changed is not in it.
func (s EstateTable) LastChanges(ctx context.Context, refs []estate.Ref, upTo int) (map[estate.Ref]estate.Revision,
	error) {
	var lists, names []string
	for _, r := range refs {
		lists, names = append(lists, r.List), append(names, r.Name)
	}
	rows, err := s.pool.Query(ctx, `SELECT DISTINCT ON (w.i) w.i, `+revisionColumns+`
		FROM unnest($1::text[], $2::text[]) WITH ORDINALITY AS w (list, name, i)
		JOIN revision_change AS c ON c.list = w.list AND c.name = w.name AND c.revision <= $3
		JOIN revision ON number = c.revision ORDER BY w.i, number DESC`, lists, names, upTo)
	if err != nil {
		return nil, translate(err)
	}
	out := map[estate.Ref]estate.Revision{}
	var i int
	var r estate.Revision
	_, err = pgx.ForEachRow(rows, []any{&i, &r.Number, &r.Author, &r.Reason, &r.At}, func() error {
		out[refs[i-1]] = r
		return nil
	})
	return out, translate(err)
}

// pastMost bounds how many revisions of one object's past are told.
const pastMost = 200

// Past gives what the latest two hundred of the revisions up to one that changed an object did to it, newest first. The
// object may have had former names: a revision that renamed it took the one away and added the other.
func (s EstateTable) Past(ctx context.Context, ref estate.Ref, former []string, upTo int) ([]estate.Past, error) {
	rows, err := s.pool.Query(ctx, `SELECT `+revisionColumns+`, max(c.was), max(c.object) FROM revision_change AS c
		JOIN revision ON number = c.revision WHERE c.list = $1 AND c.name = ANY($2) AND c.revision <= $3
		GROUP BY number ORDER BY number DESC LIMIT $4`, ref.List, append([]string{ref.Name}, former...), upTo, pastMost)
	if err != nil {
		return nil, translate(err)
	}
	out := []estate.Past{}
	var r estate.Revision
	var was, is []byte
	_, err = pgx.ForEachRow(rows, []any{&r.Number, &r.Author, &r.Reason, &r.At, &was, &is}, func() error {
		p, err := estate.NewPast(r, was, is)
		out = append(out, p)
		return err
	})
	return out, translate(err)
}

// RevisionAt gives the number of the revision that was current at a time, 0 before the first.
func (s EstateTable) RevisionAt(ctx context.Context, at time.Time) (number int, err error) {
	err = s.pool.QueryRow(ctx, "SELECT coalesce(max(number), 0) FROM revision WHERE at <= $1", at).Scan(&number)
	return number, translate(err)
}

// RevisionsNaming gives the revisions that name a user under any of some folded names, newest first. Revisions are
// never altered, so that names stay in them.
func (s EstateTable) RevisionsNaming(ctx context.Context, names []string) ([]int, error) {
	var entries []string
	for _, n := range names {
		b, err := json.Marshal("user:" + n) // as it stands in a document
		if err != nil {
			return nil, err
		}
		entries = append(entries, string(b))
	}
	rows, err := s.pool.Query(ctx, "SELECT number FROM revision WHERE EXISTS (SELECT FROM unnest($1::text[]) AS e WHERE "+
		"strpos(folded(document::text), folded(e)) > 0) ORDER BY number DESC", entries)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowTo[int])
	return append([]int{}, out...), translate(err)
}
