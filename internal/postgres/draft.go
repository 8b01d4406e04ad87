package postgres

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
)

const draftColumns = "id, owner, author, name, base, version, changed_at, proposed_at, proposed_why, publish_at, " +
	"publish_why, publish_breaks, publish_failed, publish_failed_at"

func scanDraft(row pgx.CollectableRow) (d estate.Draft, err error) {
	err = row.Scan(&d.ID, &d.Owner, &d.Author, &d.Name, &d.Base, &d.Version, &d.ChangedAt, &d.ProposedAt, &d.ProposedWhy,
		&d.Timed.At, &d.Timed.Why, &d.Timed.Breaks, &d.Timed.Failed, &d.Timed.Since)
	return d, err
}

// oneDraft reads the one draft that a statement gives, without what it keeps.
func oneDraft(ctx context.Context, tx pgx.Tx, sql string, args ...any) (estate.Draft, error) {
	rows, err := tx.Query(ctx, sql, args...)
	if err != nil {
		return estate.Draft{}, err
	}
	return pgx.CollectExactlyOneRow(rows, scanDraft)
}

// toldOfDraft tells of a change of a draft, and records what happened.
func toldOfDraft(ctx context.Context, tx pgx.Tx, d estate.Draft, e event.Event) error {
	if err := notify(ctx, tx, event.Draft, d.Author); err != nil {
		return err
	}
	return addEvent(ctx, tx, e)
}

// Draft gives one draft with what it keeps; ok is false where there is none.
func (s DraftTable) Draft(ctx context.Context, owner, called string) (d estate.Draft, ok bool, err error) {
	err = pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly},
		func(tx pgx.Tx) error {
			var err error
			d, err = oneDraft(ctx, tx, "SELECT "+draftColumns+" FROM draft WHERE owner = $1 AND name = $2", owner, called)
			if errors.Is(err, pgx.ErrNoRows) {
				return nil
			}
			if err != nil {
				return err
			}
			ok = true
			d.Kept, err = kept(ctx, tx, d.ID)
			return err
		})
	return d, ok, translate(err)
}

func kept(ctx context.Context, tx pgx.Tx, draft int64) ([]estate.Kept, error) {
	rows, err := tx.Query(ctx, "SELECT list, name, object FROM draft_change WHERE draft = $1 ORDER BY list, name", draft)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (k estate.Kept, err error) {
		var object []byte
		err = row.Scan(&k.List, &k.Name, &object)
		k.Object = json.RawMessage(object)
		return k, err
	})
}

// Drafts lists every draft, the latest first, without what they keep.
func (s DraftTable) Drafts(ctx context.Context) ([]estate.Draft, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+draftColumns+" FROM draft ORDER BY changed_at DESC, id")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, scanDraft)
	return out, translate(err)
}

// SaveDraft makes a draft keep exactly d.Kept, on d.Base; one that keeps nothing is dropped. d.Version is the version
// that it was read as, 0 for none: where it has moved on, a Conflict fault with code "draft-moved".
func (s DraftTable) SaveDraft(ctx context.Context, d estate.Draft) (estate.Draft, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		// Nothing to lock exists before the first edit.
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtextextended($1, 0))", "draft "+d.Owner+"/"+
			d.Name); err != nil {
			return err
		}
		var version int64
		var at *time.Time
		err := tx.QueryRow(ctx, "SELECT id, version, publish_at FROM draft WHERE owner = $1 AND name = $2", d.Owner,
			d.Name).Scan(&d.ID, &version, &at)
		if err != nil && !errors.Is(err, pgx.ErrNoRows) {
			return err
		}
		if at != nil {
			return draftTimed(d.ID, *at)
		}
		if version != d.Version {
			return fault.New(fault.Conflict, "draft-moved", "read the draft again, and make the edit once more",
				"the draft was changed meanwhile")
		}
		if err := notify(ctx, tx, event.Draft, d.Author); err != nil {
			return err
		}
		if len(d.Kept) == 0 {
			d.Version = 0
			_, err := tx.Exec(ctx, "DELETE FROM draft WHERE id = $1", d.ID)
			return err
		}
		if version == 0 {
			err = tx.QueryRow(ctx, "INSERT INTO draft (owner, author, name, base) VALUES ($1, $2, $3, $4) RETURNING id, "+
				"version, changed_at", d.Owner, d.Author, d.Name, d.Base).Scan(&d.ID, &d.Version, &d.ChangedAt)
		} else {
			err = tx.QueryRow(ctx, "UPDATE draft SET base = $2, version = version + 1, changed_at = clock_timestamp(), "+
				"proposed_at = NULL, proposed_why = '', publish_failed = '', publish_failed_at = NULL WHERE id = $1 RETURNING "+
				"version, changed_at", d.ID,
				d.Base).Scan(&d.Version, &d.ChangedAt)
		}
		if err != nil {
			return err
		}
		return s.keep(ctx, tx, d)
	})
	return d, err
}

// keep writes what has changed among the kept objects.
func (s DraftTable) keep(ctx context.Context, tx pgx.Tx, d estate.Draft) error {
	have, err := kept(ctx, tx, d.ID)
	if err != nil {
		return err
	}
	before := map[estate.Ref]string{}
	for _, k := range have {
		before[k.Ref] = string(k.Object)
	}
	batch := &pgx.Batch{}
	for _, k := range d.Kept {
		was, there := before[k.Ref]
		delete(before, k.Ref)
		if there && was == string(k.Object) {
			continue
		}
		var object []byte
		if k.Object != nil {
			object = k.Object
		}
		batch.Queue("INSERT INTO draft_change (draft, list, name, object) VALUES ($1, $2, $3, $4) ON CONFLICT (draft, "+
			"list, name) DO UPDATE SET object = excluded.object", d.ID, k.List, k.Name, object)
	}
	for r := range before {
		batch.Queue("DELETE FROM draft_change WHERE draft = $1 AND list = $2 AND name = $3", d.ID, r.List, r.Name)
	}
	return tx.SendBatch(ctx, batch).Close()
}

// ProposeDraft notes that a draft is proposed, at the version that was looked at; a Conflict fault with code
// "draft-moved" where it has moved on.
func (s DraftTable) ProposeDraft(ctx context.Context, d estate.Draft, why string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE draft SET proposed_at = clock_timestamp(), proposed_why = $3 WHERE id = $1 AND "+
			"version = $2", d.ID, d.Version, why)
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Conflict, "draft-moved", "look at the draft again", "the draft was changed meanwhile")
		}
		if err != nil {
			return err
		}
		return toldOfDraft(ctx, tx, d, e)
	})
}

// DraftByID gives anybody's draft by its number, with what it keeps; an Unknown fault where none has it.
func (s DraftTable) DraftByID(ctx context.Context, id int64) (d estate.Draft, err error) {
	err = pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly},
		func(tx pgx.Tx) error {
			var err error
			if d, err = oneDraft(ctx, tx, "SELECT "+draftColumns+" FROM draft WHERE id = $1", id); err != nil {
				return err
			}
			d.Kept, err = kept(ctx, tx, d.ID)
			return err
		})
	if errors.Is(err, pgx.ErrNoRows) {
		return d, draftUnknown(id)
	}
	return d, translate(err)
}

// SettleDraft takes a proposal off a draft, which stays its owner's, and records what came of it; an Unknown fault
// where it has changed since.
func (s DraftTable) SettleDraft(ctx context.Context, d estate.Draft, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE draft SET proposed_at = NULL, proposed_why = '' WHERE id = $1 AND version = $2",
			d.ID, d.Version)
		if err == nil && tag.RowsAffected() == 0 {
			return draftUnknown(d.ID)
		}
		if err != nil {
			return err
		}
		return toldOfDraft(ctx, tx, d, e)
	})
}

func draftUnknown(id int64) error {
	return fault.New(fault.Unknown, "draft-unknown", "see cirque draft list", "there is no draft with the number %d, "+
		"or it has changed meanwhile", id)
}
