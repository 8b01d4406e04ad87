package postgres

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/page"
	"cirque/core/update"
)

const agentPackageColumns = "digest, file, version, platform, kind, bytes, author, at"

// AddAgentPackage keeps a package of the agent; known says that it was kept already. Another one of the same version
// for the same machines is a Conflict fault.
func (s UpdateTable) AddAgentPackage(ctx context.Context, p update.AgentPackage, data []byte,
	e event.Event) (known bool, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		var kept int
		var other, called string
		if err := tx.QueryRow(ctx, "SELECT count(*), coalesce(max(digest) FILTER (WHERE version = $1 AND platform = $2 AND "+
			"kind = $3), ''), coalesce(max(file) FILTER (WHERE digest = $4), '') FROM agent_package", p.Version, p.Platform,
			p.Kind, p.Digest).Scan(&kept, &other, &called); err != nil {
			return err
		}
		switch {
		case called != "" && called != p.File:
			return fault.New(fault.Conflict, "agent-package-renamed", "give the file under the name that make packages gave it",
				"the same file is kept as %s, and cannot be %s as well", called, p.File)
		case other == p.Digest:
			known = true
			return nil
		case other != "":
			return fault.New(fault.Conflict, "agent-package-other", "give a build that differs another version; or remove that "+
				"one: cirque endpoint package remove "+other[:12], "another package of %s for %s is kept, as .%s", p.Version,
				p.Platform, p.Kind)
		case kept >= update.MaxKept:
			return fault.New(fault.Conflict, "agent-packages-full", "remove those of old versions: cirque endpoint package "+
				"remove DIGEST", "%d packages are kept, and no more are", kept)
		}
		if _, err := tx.Exec(ctx, "INSERT INTO agent_package (digest, file, version, platform, kind, bytes, author) VALUES "+
			"($1, $2, $3, $4, $5, $6, $7)", p.Digest, p.File, p.Version, p.Platform, p.Kind, p.Bytes, p.Author); err != nil {
			return err
		}
		for n := 0; n*update.Chunk < len(data); n++ {
			if _, err := tx.Exec(ctx, "INSERT INTO agent_package_chunk (digest, n, data) VALUES ($1, $2, $3)", p.Digest, n,
				data[n*update.Chunk:min(len(data), (n+1)*update.Chunk)]); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, event.Updates, p.Digest); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
	return known, err
}

// AgentPackages lists packages of the agent, by version, the latest first.
func (s UpdateTable) AgentPackages(ctx context.Context) ([]update.AgentPackage, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+agentPackageColumns+" FROM agent_package ORDER BY at DESC, file")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[update.AgentPackage])
	return out, translate(err)
}

// AgentPackageChunk gives a part of a package, nil after the last.
func (s UpdateTable) AgentPackageChunk(ctx context.Context, digest string, n int) ([]byte, error) {
	var b []byte
	err := s.pool.QueryRow(ctx, "SELECT data FROM agent_package_chunk WHERE digest = $1 AND n = $2", digest, n).Scan(&b)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	return b, translate(err)
}

// RemoveAgentPackage forgets a package; an Unknown fault where there is none.
func (s UpdateTable) RemoveAgentPackage(ctx context.Context, digest string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM agent_package WHERE digest = $1", digest)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "agent-package-unknown", "see cirque endpoint package list", "there is no package "+
				"of the agent %q", digest)
		}
		if err := notify(ctx, tx, event.Updates, digest); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// AddUpdate begins an order; a Conflict fault where one has not ended.
func (s UpdateTable) AddUpdate(ctx context.Context, o update.Order, e event.Event) (update.Order, error) {
	err := s.in(ctx, func(tx pgx.Tx) error {
		b, err := json.Marshal(o)
		if err != nil {
			return err
		}
		err = tx.QueryRow(ctx, "INSERT INTO agent_update (state, body) VALUES ($1, $2) RETURNING id", o.State, b).Scan(&o.ID)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "update-under-way", "end it first: cirque endpoint update end", "another update "+
				"is under way")
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Updates, ""); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
	return o, err
}

// SaveUpdate keeps an order as it goes on from a state and a stage; a Conflict fault where it stands otherwise by now.
func (s UpdateTable) SaveUpdate(ctx context.Context, from, o update.Order, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		b, err := json.Marshal(o)
		if err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, "UPDATE agent_update SET state = $2, body = $3 WHERE id = $1 AND state = $4 AND "+
			"(body->>'stage')::int = $5", o.ID, o.State, b, from.State, from.Stage)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.Conflict, "update-moved", "see cirque endpoint update show", "the update has gone on "+
				"meanwhile")
		}
		if err := notify(ctx, tx, event.Updates, ""); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// LastUpdate gives the latest order; nil where there was none.
func (s UpdateTable) LastUpdate(ctx context.Context) (*update.Order, error) {
	var o update.Order
	var id int64
	err := s.pool.QueryRow(ctx, "SELECT id, body FROM agent_update ORDER BY id DESC LIMIT 1").Scan(&id, &o)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, translate(err)
	}
	o.ID = id
	return &o, nil
}

// SaveUpdateRecord keeps what a machine says of an order. What it had before stays as it was first said.
func (s UpdateTable) SaveUpdateRecord(ctx context.Context, order int64, r update.Record, events ...event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `INSERT INTO agent_update_record (id, folded, machine, former, state, begun_at, at, says)
			VALUES ($1, $2, $3, $4, $5, $6, $6, $7) ON CONFLICT (id, folded) DO UPDATE SET state = $5, at = $6, says = $7,
			begun_at = CASE WHEN $5 = 'begun' THEN $6 ELSE agent_update_record.begun_at END`, order, name.Fold(r.Machine),
			r.Machine, r.Former, r.State, r.At, r.Says); err != nil {
			return err
		}
		for _, e := range events {
			if err := addEvent(ctx, tx, e); err != nil {
				return err
			}
		}
		return nil
	})
}

// UpdateRecord gives what a machine said of an order; nil where it has said nothing.
func (s UpdateTable) UpdateRecord(ctx context.Context, order int64, machine string) (*update.Record, error) {
	list, err := s.records(ctx, "id = $1 AND folded = $2", order, name.Fold(machine))
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

func (s UpdateTable) records(ctx context.Context, where string, args ...any) ([]update.Record, error) {
	rows, err := s.pool.Query(ctx, "SELECT machine, former, state, begun_at, at, says FROM agent_update_record "+
		"WHERE "+where, args...)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowToStructByPos[update.Record])
	return out, translate(err)
}

// UpdateRecords gives what machines said of an order, by name; state is one of update's, or "" for all. A machine that
// began before silent and has not said what came of it is one that fell silent.
func (s UpdateTable) UpdateRecords(ctx context.Context, order int64, state string, silent time.Time,
	ask page.Ask) (page.Page[update.Record], error) {
	const only = "id = $1 AND ($2 = '' OR $2 = CASE WHEN state = 'begun' AND begun_at < $3 THEN 'silent' ELSE state END)"
	var total int
	if err := s.pool.QueryRow(ctx, "SELECT count(*) FROM agent_update_record WHERE "+only, order, state,
		silent).Scan(&total); err != nil {
		return page.Page[update.Record]{}, translate(err)
	}
	list, err := s.records(ctx, only+" AND folded > $4 ORDER BY folded LIMIT $5", order, state, silent,
		name.Fold(ask.After), ask.Size()+1)
	if err != nil {
		return page.Page[update.Record]{}, err
	}
	for i := range list {
		if r := &list[i]; r.State == update.Begun && r.BegunAt.Before(silent) {
			r.State = update.Silent
		}
	}
	return page.Of(list, total, ask, func(r *update.Record) string { return r.Machine }), nil
}

// CountUpdate counts what machines said of an order since a time, and names some that did not come through.
func (s UpdateTable) CountUpdate(ctx context.Context, order int64, since, silent time.Time) (c update.Counts,
	faulty []string, err error) {
	err = s.pool.QueryRow(ctx, `SELECT count(*) FILTER (WHERE state = 'begun' AND begun_at >= $3),
		count(*) FILTER (WHERE state = 'came'), count(*) FILTER (WHERE state = 'failed' AND at >= $2),
		count(*) FILTER (WHERE state = 'begun' AND begun_at < $3 AND begun_at >= $2), count(*) FILTER (WHERE state = 'back'),
		coalesce((array_agg(machine ORDER BY at) FILTER (WHERE state = 'failed' AND at >= $2 OR state = 'begun' AND
			begun_at < $3 AND begun_at >= $2))[1:4], '{}') FROM agent_update_record WHERE id = $1`, order, since,
		silent).Scan(&c.Begun, &c.Came, &c.Failed, &c.Silent, &c.Back, &faulty)
	return c, faulty, translate(err)
}
