package postgres

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/driver"
	"cirque/core/event"
	"cirque/core/fault"
)

// Places lists where drivers are fetched from, by name, with what was last seen there.
func (s PlaceTable) Places(ctx context.Context) ([]driver.PlaceView, error) {
	rows, err := s.pool.Query(ctx, "SELECT name, body, look, author, at FROM driver_place ORDER BY name")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (v driver.PlaceView, err error) {
		var name, author string
		var at time.Time
		err = r.Scan(&name, &v.Place, &v.Look, &author, &at)
		v.Name, v.Author, v.At = name, author, at
		return v, err
	})
	return out, translate(err)
}

// SavePlace keeps a place with what was seen there.
func (s PlaceTable) SavePlace(ctx context.Context, v driver.Place, l driver.Look, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `INSERT INTO driver_place (name, body, look, author, at) VALUES ($1, $2, $3, $4, $5)
			ON CONFLICT (name) DO UPDATE SET body = $2, look = $3, author = $4, at = $5`, v.Name, v, l, v.Author,
			v.At); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Places, v.Name); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// SaveLook keeps what was seen at a place; one that has gone meanwhile, or leads elsewhere now, keeps nothing.
func (s PlaceTable) SaveLook(ctx context.Context, v driver.Place, l driver.Look, events ...event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "UPDATE driver_place SET look = $3 WHERE name = $1 AND body->>'url' = $2", v.Name, v.URL,
			l)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		for _, e := range events {
			if err := addEvent(ctx, tx, e); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Places, v.Name)
	})
}

// RemovePlace forgets a place, and stops what is fetched from it; an Unknown fault where there is none.
func (s PlaceTable) RemovePlace(ctx context.Context, name string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM driver_place WHERE name = $1", name)
		if err == nil && tag.RowsAffected() == 0 {
			return placeUnknown(name)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Places, name); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

func placeUnknown(name string) error {
	return fault.New(fault.Unknown, "place-unknown", "see cirque driver place list",
		"drivers are fetched from no place %q", name)
}

const fetchColumns = "id, place, file, sha256, state, body, at, ended_at"

func oneFetch(r pgx.CollectableRow) (v driver.Fetch, err error) {
	var id int64
	var place, file, sum, state string
	var at time.Time
	var ended *time.Time
	err = r.Scan(&id, &place, &file, &sum, &state, &v, &at, &ended)
	v.ID, v.Place, v.File, v.SHA256, v.State, v.At, v.Ended = id, place, file, sum, state, at, ended
	return v, err
}

// AddFetch asks for an archive; a Conflict fault where the same file is being fetched.
func (s PlaceTable) AddFetch(ctx context.Context, v driver.Fetch, e event.Event) (out driver.Fetch, err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "INSERT INTO driver_fetch (place, file, sha256, state, body) VALUES ($1, $2, $3, "+
			"'waiting', $4) RETURNING "+fetchColumns, v.Place, v.File, v.SHA256, v)
		if err != nil {
			return err
		}
		out, err = pgx.CollectExactlyOneRow(rows, oneFetch)
		switch code(err) {
		case "23505":
			return fault.New(fault.Conflict, "fetch-running",
				"wait for it, or stop it: cirque driver place stop "+v.Place+" "+
					v.File, "%s is being fetched from %s", v.File, v.Place)
		case "23503":
			return placeUnknown(v.Place)
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM driver_fetch WHERE place = $1 AND id < $2 - 500 AND ended_at IS NOT NULL",
			v.Place, out.ID); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Places, v.Place); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
	return out, err
}

// SaveFetch notes how far a fetch is, and says whether it is to stop: somebody wants it, or its place has gone.
func (s PlaceTable) SaveFetch(ctx context.Context, v driver.Fetch) (stop bool, err error) {
	var inside *string
	var names *int
	if p := v.Package; p != nil {
		n := len(p.Models)
		inside, names = &p.Digest, &n
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, "UPDATE driver_fetch SET state = $2, body = $3, ended_at = CASE WHEN $4 THEN "+
			"clock_timestamp() END, package = $5, names = $6 WHERE id = $1 RETURNING stop", v.ID, v.State, v, v.Over(),
			inside,
			names).Scan(&stop)
		if errors.Is(err, pgx.ErrNoRows) {
			stop = true
			return nil
		}
		if err != nil {
			return err
		}
		return notify(ctx, tx, event.Places, v.Place)
	})
	return stop, err
}

// BeginFetch gives the fetch that has waited longest, nil where none waits. What a process left behind that has gone
// begins anew: whoever asks works alone.
func (s PlaceTable) BeginFetch(ctx context.Context) (*driver.Fetch, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+fetchColumns+" FROM driver_fetch WHERE state IN ('waiting', 'running') "+
		"ORDER BY id LIMIT 1")
	if err != nil {
		return nil, translate(err)
	}
	v, err := pgx.CollectExactlyOneRow(rows, oneFetch)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	return &v, translate(err)
}

// FetchOf gives one of a place, with what is in the archive; an Unknown fault where there is none.
func (s PlaceTable) FetchOf(ctx context.Context, place string, id int64) (driver.Fetch, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+fetchColumns+" FROM driver_fetch WHERE place = $1 AND id = $2", place, id)
	if err != nil {
		return driver.Fetch{}, translate(err)
	}
	v, err := pgx.CollectExactlyOneRow(rows, oneFetch)
	if errors.Is(err, pgx.ErrNoRows) {
		return v, fault.New(fault.Unknown, "fetch-unknown", "see cirque driver place show "+place,
			"nothing was fetched from %s under the number %d", place, id)
	}
	return v, translate(err)
}

// Fetches lists the latest of a place, newest first, without what is in the archives.
func (s PlaceTable) Fetches(ctx context.Context, place string, most int) ([]driver.Fetch, error) {
	rows, err := s.pool.Query(ctx, "SELECT "+strings.Replace(fetchColumns, "body", "body - 'package' - 'details'", 1)+
		" FROM driver_fetch WHERE place = $1 ORDER BY id DESC LIMIT $2", place, most)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, oneFetch)
	return out, translate(err)
}

// LookedInto tells what was found in archives that were fetched, by checksum.
func (s PlaceTable) LookedInto(ctx context.Context) (map[string]driver.Inside, error) {
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT ON (sha256) sha256, package, names FROM driver_fetch WHERE "+
		"package IS NOT NULL AND sha256 <> '' ORDER BY sha256, id DESC")
	if err != nil {
		return nil, translate(err)
	}
	out := map[string]driver.Inside{}
	var sum string
	var in driver.Inside
	_, err = pgx.ForEachRow(rows, []any{&sum, &in.Digest, &in.Names}, func() error { out[sum] = in; return nil })
	return out, translate(err)
}

// BuiltIn gives the names of drivers that spoolers bring along, each with the places where they do, by name.
func (s PlaceTable) BuiltIn(ctx context.Context) (map[string][]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT o->>'title', p.name FROM driver_place AS p, "+
		"jsonb_array_elements(p.look->'offers') AS o WHERE p.body->>'url' LIKE 'ipp%' ORDER BY 2")
	if err != nil {
		return nil, translate(err)
	}
	out := map[string][]string{}
	var exact, place string
	_, err = pgx.ForEachRow(rows, []any{&exact, &place}, func() error {
		out[exact] = append(out[exact], place)
		return nil
	})
	return out, translate(err)
}

// StopFetch stops one that waits, and asks whichever process works at it to stop; an Unknown fault where it is over.
func (s PlaceTable) StopFetch(ctx context.Context, place string, id int64, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `UPDATE driver_fetch SET stop = true, state = CASE state WHEN 'waiting' THEN 'stopped'
			ELSE state END, ended_at = CASE state WHEN 'waiting' THEN clock_timestamp() END WHERE place = $1 AND id = $2 AND
			state IN ('waiting', 'running')`, place, id)
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "fetch-unknown", "see cirque driver place show "+place,
				"nothing is being fetched from %s under the number %d", place, id)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Places, place); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}
