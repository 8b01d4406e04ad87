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
	"cirque/core/live"
	"cirque/internal/fault"
)

const revisionColumns = "number, author, reason, at"

// Current gives the newest revision; before the first, revision 0 with an empty document.
func (s *Store) Current(ctx context.Context) (estate.Revision, *estate.Document, error) {
	r, doc, err := s.revision(ctx, "SELECT "+revisionColumns+", document FROM revision ORDER BY number DESC LIMIT 1")
	if fault.Is(err, fault.Unknown) {
		return estate.Revision{}, &estate.Document{Estate: estate.Version}, nil
	}
	return r, doc, err
}

// CurrentRevision gives the newest revision without its document, number 0 before the first.
func (s *Store) CurrentRevision(ctx context.Context) (estate.Revision, error) {
	list, err := s.Revisions(ctx, 1)
	if err != nil || len(list) == 0 {
		return estate.Revision{}, err
	}
	return list[0], nil
}

// Revision gives one revision; an Unknown fault where there is none of that number.
func (s *Store) Revision(ctx context.Context, number int) (estate.Revision, *estate.Document, error) {
	return s.revision(ctx, "SELECT "+revisionColumns+", document FROM revision WHERE number = $1", number)
}

func (s *Store) revision(ctx context.Context, query string, args ...any) (estate.Revision, *estate.Document, error) {
	var r estate.Revision
	var text []byte
	err := s.pool.QueryRow(ctx, query, args...).Scan(&r.Number, &r.Author, &r.Reason, &r.At, &text)
	if errors.Is(err, pgx.ErrNoRows) {
		return r, nil, fault.New(fault.Unknown, "revision-unknown", "see cirque estate history", "there is no such revision of the estate")
	}
	if err != nil {
		return r, nil, translate(err)
	}
	doc := new(estate.Document)
	return r, doc, json.Unmarshal(text, doc)
}

// Revisions lists revisions, newest first.
func (s *Store) Revisions(ctx context.Context, limit int) ([]estate.Revision, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+revisionColumns+" FROM revision ORDER BY number DESC LIMIT $1", limit)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[estate.Revision])
	return out, translate(err)
}

// Publish makes a document the next revision.
func (s *Store) Publish(ctx context.Context, doc *estate.Document, author, reason string) (estate.Revision, error) {
	r := estate.Revision{Author: author, Reason: reason}
	text, err := json.Marshal(doc)
	if err != nil {
		return r, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		// One publisher at a time, so that numbers have no gaps and nobody is overtaken unseen.
		if _, err := tx.Exec(ctx, "LOCK TABLE revision IN EXCLUSIVE MODE"); err != nil {
			return err
		}
		err := tx.QueryRow(ctx, `INSERT INTO revision (number, document, author, reason)
			SELECT coalesce(max(number), 0) + 1, $1, $2, $3 FROM revision RETURNING number, at`, text, author, reason).Scan(&r.Number, &r.At)
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Estate, fmt.Sprint(r.Number)); err != nil {
			return err
		}
		return happened(ctx, tx, event.Event{Kind: event.Published, Subject: fmt.Sprint(r.Number), Author: author, Says: fmt.Sprintf("Revision %d was published: %s", r.Number, reason)})
	})
	return r, err
}

// Live gives the live state of the present.
func (s *Store) Live(ctx context.Context) (live.State, error) {
	state := live.State{Servers: map[string]live.Duty{}, Devices: map[string]live.Duty{}}
	rows, err := s.pool.Query(ctx, "SELECT kind, name, duty FROM live_state WHERE valid_to IS NULL AND duty <> 'serving'")
	if err != nil {
		return state, translate(err)
	}
	var kind, name string
	var duty live.Duty
	_, err = pgx.ForEachRow(rows, []any{&kind, &name, &duty}, func() error {
		if kind == "server" {
			state.Servers[name] = duty
		} else {
			state.Devices[name] = duty
		}
		return nil
	})
	return state, translate(err)
}

// SetLive notes a server's or device's duty from now on; kind is "server" or "device". The former state ends and is kept.
func (s *Store) SetLive(ctx context.Context, kind, name string, duty live.Duty, author, reason string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtext('live_state'))"); err != nil {
			return err
		}
		now := time.Now()
		if _, err := tx.Exec(ctx, "UPDATE live_state SET valid_to = greatest(valid_from, $3) WHERE kind = $1 AND name = $2 AND valid_to IS NULL", kind, name, now); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "INSERT INTO live_state (kind, name, duty, reason, author, valid_from) VALUES ($1, $2, $3, $4, $5, $6)", kind, name, duty, reason, author, now)
		if err != nil {
			return err
		}
		return notify(ctx, tx, event.Live, name)
	})
}
