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
	"cirque/core/photograph"
)

// photographsMost is how many photographs are kept at most.
const photographsMost = 50

// AddPhotograph keeps one; a Conflict fault where its name is taken, or there are too many.
func (s PhotographTable) AddPhotograph(ctx context.Context, p photograph.Photograph,
	e event.Event) (photograph.Photograph, error) {
	body, err := packThings(p.Things)
	if err != nil {
		return p, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		var n int
		if err := tx.QueryRow(ctx, "SELECT count(*) FROM photograph").Scan(&n); err != nil {
			return err
		}
		if n >= photographsMost {
			return fault.New(fault.Conflict, "photographs-many", "remove some: cirque photograph remove NAME",
				"%d photographs are kept, and no more can be", n)
		}
		err := tx.QueryRow(ctx, "INSERT INTO photograph (name, note, author, things, body) VALUES ($1, $2, $3, $4, $5) "+
			"RETURNING at", p.Name, p.Note, p.Author, len(p.Things), body).Scan(&p.At)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "photograph-taken", "give it another name, or remove the other",
				"a photograph %s is there already", p.Name)
		}
		if err != nil {
			return err
		}
		return happened(ctx, tx, e)
	})
	return p, err
}

// Photographs lists them without their things, newest first.
func (s PhotographTable) Photographs(ctx context.Context) ([]photograph.Photograph, error) {
	rows, err := s.pool.Query(ctx, "SELECT name, note, author, at, things FROM photograph ORDER BY at DESC")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (p photograph.Photograph, err error) {
		return p, row.Scan(&p.Name, &p.Note, &p.Author, &p.At, &p.Count)
	})
	return out, translate(err)
}

// Photograph gives one with its things; an Unknown fault where there is none.
func (s PhotographTable) Photograph(ctx context.Context, name string) (p photograph.Photograph, err error) {
	var body []byte
	err = s.pool.QueryRow(ctx, "SELECT name, note, author, at, things, body FROM photograph WHERE name = $1",
		name).Scan(&p.Name, &p.Note, &p.Author, &p.At, &p.Count, &body)
	if errors.Is(err, pgx.ErrNoRows) {
		return p, fault.New(fault.Unknown, "photograph-unknown", "see cirque photograph list",
			"there is no photograph %q", name)
	}
	if err != nil {
		return p, translate(err)
	}
	p.Things, err = unpackThings(body)
	return p, err
}

func packThings(list []photograph.Thing) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if err := json.NewEncoder(z).Encode(list); err != nil {
		return nil, err
	}
	err := z.Close()
	return b.Bytes(), err
}

func unpackThings(body []byte) (list []photograph.Thing, err error) {
	z, err := gzip.NewReader(bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	return list, json.NewDecoder(z).Decode(&list)
}

// eraseOnPhotographs takes the queues of somebody at endpoints off all photographs; names are in small letters.
func eraseOnPhotographs(ctx context.Context, tx pgx.Tx, names []string) error {
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
		list, err := unpackThings(k.Body)
		if err != nil {
			return err
		}
		left := slices.DeleteFunc(slices.Clone(list), func(t photograph.Thing) bool {
			return slices.ContainsFunc(names, func(n string) bool {
				return strings.Contains(strings.ToLower(t.Name), " of "+n+" on ")
			})
		})
		if len(left) == len(list) {
			continue
		}
		body, err := packThings(left)
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

// RemovePhotograph forgets one; an Unknown fault where there is none.
func (s PhotographTable) RemovePhotograph(ctx context.Context, name string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM photograph WHERE name = $1", name)
		if err == nil && tag.RowsAffected() == 0 {
			err = fault.New(fault.Unknown, "photograph-unknown", "see cirque photograph list", "there is no photograph %q", name)
		}
		if err != nil {
			return err
		}
		return happened(ctx, tx, e)
	})
}
