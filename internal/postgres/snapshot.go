package postgres

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/snapshot"
)

// snapshotsMost is how many snapshots are kept at most.
const snapshotsMost = 50

// AddSnapshot keeps one; a Conflict fault where its name is taken, or there are too many.
func (s SnapshotTable) AddSnapshot(ctx context.Context, p snapshot.Snapshot,
	e event.Event) (snapshot.Snapshot, error) {
	body, err := packObjects(p.Objects)
	if err != nil {
		return p, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		var n int
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM photograph").Scan(&n); err != nil {
			return err
		}
		if n >= snapshotsMost {
			return fault.New(fault.Conflict, "snapshots-many", "remove some: cirque snapshot remove NAME",
				"%d snapshots are kept, and no more can be", n)
		}
		err := tx.QueryRow(ctx, "INSERT INTO photograph (name, note, author, things, body) VALUES ($1, $2, $3, $4, $5) "+
			"RETURNING at", p.Name, p.Note, p.Author, len(p.Objects), body).Scan(&p.At)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "snapshot-taken", "give it another name, or remove the other",
				"a snapshot %s is there already", p.Name)
		}
		if err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
	return p, err
}

// Snapshots lists them without their objects, newest first.
func (s SnapshotTable) Snapshots(ctx context.Context) ([]snapshot.Snapshot, error) {
	rows, err := s.pool.Query(ctx, "SELECT name, note, author, at, things FROM photograph ORDER BY at DESC")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (p snapshot.Snapshot, err error) {
		return p, row.Scan(&p.Name, &p.Note, &p.Author, &p.At, &p.Count)
	})
	return out, translate(err)
}

// Snapshot gives one with its objects; an Unknown fault where there is none.
func (s SnapshotTable) Snapshot(ctx context.Context, name string) (p snapshot.Snapshot, err error) {
	var body []byte
	err = s.pool.QueryRow(ctx, "SELECT name, note, author, at, things, body FROM photograph WHERE name = $1",
		name).Scan(&p.Name, &p.Note, &p.Author, &p.At, &p.Count, &body)
	if errors.Is(err, pgx.ErrNoRows) {
		return p, fault.New(fault.Unknown, "snapshot-unknown", "see cirque snapshot list",
			"there is no snapshot %q", name)
	}
	if err != nil {
		return p, translate(err)
	}
	p.Objects, err = unpackObjects(body)
	return p, err
}

func packObjects(list []snapshot.Object) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if err := json.NewEncoder(z).Encode(list); err != nil {
		return nil, err
	}
	err := z.Close()
	return b.Bytes(), err
}

func unpackObjects(body []byte) (list []snapshot.Object, err error) {
	z, err := gzip.NewReader(bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	return list, json.NewDecoder(z).Decode(&list)
}

// eraseInSnapshots takes the queues of somebody at endpoints out of all snapshots; names are in small letters.
func eraseInSnapshots(ctx context.Context, tx pgx.Tx, names []string) error {
	rows, err := tx.Query(ctx, "SELECT name, body FROM photograph FOR UPDATE")
	if err != nil {
		return err
	}
	type one struct {
		Name string
		Body []byte
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[one])
	if err != nil {
		return err
	}
	for _, k := range all {
		list, err := unpackObjects(k.Body)
		if err != nil {
			return err
		}
		left := slices.DeleteFunc(slices.Clone(list), func(t snapshot.Object) bool {
			return slices.ContainsFunc(names, func(n string) bool {
				return strings.Contains(strings.ToLower(t.Name), " of "+n+" on ")
			})
		})
		if len(left) == len(list) {
			continue
		}
		body, err := packObjects(left)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "UPDATE photograph SET body = $2, things = $3 WHERE name = $1", k.Name, body,
			len(left)); err != nil {
			return err
		}
	}
	return nil
}

// RemoveSnapshot forgets one; an Unknown fault where there is none.
func (s SnapshotTable) RemoveSnapshot(ctx context.Context, name string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM photograph WHERE name = $1", name)
		if err == nil && tag.RowsAffected() == 0 {
			err = fault.New(fault.Unknown, "snapshot-unknown", "see cirque snapshot list", "there is no snapshot %q", name)
		}
		if err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}
