package postgres

import (
	"cmp"
	"context"
	"encoding/json"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/directory"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/page"
)

// Sources lists the directories that are read, by name, with what is sealed of them.
func (s SourceTable) Sources(ctx context.Context) ([]directory.Source, map[string][]byte, error) {
	rows, err := s.pool.Query(ctx, "SELECT name, body, sealed, author, at FROM directory_source ORDER BY name")
	if err != nil {
		return nil, nil, translate(err)
	}
	sealed := map[string][]byte{}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (v directory.Source, err error) {
		var name, author string
		var at time.Time
		var body, b []byte
		if err := r.Scan(&name, &body, &b, &author, &at); err != nil {
			return v, err
		}
		if b != nil {
			sealed[name] = b
		}
		kept := keptSource{Source: &v}
		err = json.Unmarshal(body, &kept)
		v.RemovalLimit = cmp.Or(v.RemovalLimit, kept.Brake)
		v.Name, v.Author, v.At = name, author, at
		return v, err
	})
	return out, sealed, translate(err)
}

// keptSource is a source as it is kept: the version before has its removal limit under another key.
type keptSource struct {
	*directory.Source
	Brake int `json:"brake,omitempty"`
}

// SaveSource keeps a source, in the place of one of its name; sealed nil is no password.
func (s SourceTable) SaveSource(ctx context.Context, v directory.Source, sealed []byte, e event.Event) error {
	b, err := json.Marshal(keptSource{&v, v.RemovalLimit})
	if err != nil {
		return err
	}
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `INSERT INTO directory_source (name, body, sealed, author) VALUES ($1, $2, $3, $4)
			ON CONFLICT (name) DO UPDATE SET body = $2, sealed = $3, author = $4, at = clock_timestamp()`, v.Name, b, sealed,
			v.Author); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Listing, v.Name); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Sources, v.Name); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "source"); err != nil { // who may sign in
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// RemoveSource forgets a source, and with rows ends all that is held of it; an Unknown fault where there is none.
func (s SourceTable) RemoveSource(ctx context.Context, name string, rows bool, author string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM directory_source WHERE name = $1", name)
		if err == nil && tag.RowsAffected() == 0 {
			return sourceUnknown(name)
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "UPDATE directory_run SET stop = true WHERE source = $1 AND state = 'running'",
			name); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "UPDATE directory_run SET state = 'stopped', ended_at = clock_timestamp() WHERE source = "+
			"$1 AND state = 'waiting'", name); err != nil {
			return err
		}
		if rows {
			if _, err := tx.Exec(ctx, "LOCK TABLE directory_import IN EXCLUSIVE MODE"); err != nil {
				return err
			}
			have, err := rowsOf(ctx, tx, name)
			if err != nil {
				return err
			}
			out := directory.Import{Removed: len(have)}
			if err := applyRows(ctx, tx, name, author, directory.Changes{Removed: have}, &out); err != nil {
				return err
			}
		}
		if err := notify(ctx, tx, event.Sources, name); err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Access, "source"); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

func sourceUnknown(name string) error {
	return fault.New(fault.Unknown, "source-unknown", "see cirque directory source list",
		"no directory is read as %q", name)
}

// SourceSizes counts what is held, by source and kind.
func (s SourceTable) SourceSizes(ctx context.Context) (map[string]map[string]int, error) {
	rows, err := s.pool.Query(ctx, "SELECT source, kind, count(*) FROM directory_row WHERE valid_to IS NULL GROUP BY 1, 2")
	if err != nil {
		return nil, translate(err)
	}
	out := map[string]map[string]int{}
	var source, kind string
	var n int
	_, err = pgx.ForEachRow(rows, []any{&source, &kind, &n}, func() error {
		if out[source] == nil {
			out[source] = map[string]int{}
		}
		out[source][kind] = n
		return nil
	})
	return out, translate(err)
}

// runSilent is how long a run may be silent before its process counts as gone.
const runSilent = "90 seconds"

const runColumns = "id, source, state, body, at, ended_at"

func oneRun(r pgx.CollectableRow) (v directory.Run, err error) {
	var id int64
	var source, state string
	var body []byte
	var at time.Time
	var ended *time.Time
	if err := r.Scan(&id, &source, &state, &body, &at, &ended); err != nil {
		return v, err
	}
	err = json.Unmarshal(body, &v)
	v.ID, v.Source, v.State, v.At, v.Ended = id, source, state, at, ended
	return v, err
}

// AddRun asks for a pass over a source; a Conflict fault where one waits or runs.
func (s SourceTable) AddRun(ctx context.Context, v directory.Run) (out directory.Run, err error) {
	b, err := json.Marshal(v)
	if err != nil {
		return out, err
	}
	if err := s.endSilentRuns(ctx); err != nil {
		return out, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "INSERT INTO directory_run (source, state, body) VALUES ($1, 'waiting', $2) RETURNING "+
			runColumns, v.Source, b)
		if err != nil {
			return err
		}
		out, err = pgx.CollectExactlyOneRow(rows, oneRun)
		if code(err) == "23505" {
			return fault.New(fault.Conflict, "run-running", "wait for it, or stop it: cirque directory source stop "+v.Source,
				"a pass over %s is under way", v.Source)
		}
		if err != nil {
			return err
		}
		return notify(ctx, tx, event.Sources, v.Source)
	})
	return out, err
}

func (s SourceTable) endSilentRuns(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, `UPDATE directory_run SET state = 'failed', ended_at = beat, body = body ||
		'{"code": "process-gone", "says": "the process that read it has gone"}'
		WHERE state = 'running' AND beat < clock_timestamp() - interval '`+runSilent+`'`)
	return translate(err)
}

// SaveRun notes how far a run is, and says whether somebody wants it stopped.
func (s SourceTable) SaveRun(ctx context.Context, v directory.Run, events ...event.Event) (stop bool, err error) {
	b, err := json.Marshal(v)
	if err != nil {
		return false, err
	}
	err = s.in(ctx, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, "UPDATE directory_run SET state = $2, body = $3, beat = clock_timestamp(), ended_at = "+
			"CASE WHEN $4 THEN clock_timestamp() END WHERE id = $1 RETURNING stop",
			v.ID, v.State, b, v.Over()).Scan(&stop); err != nil {
			return err
		}
		// A pass every few minutes: the history keeps what changed something or failed, and the latest hundred.
		if v.Over() {
			if _, err := tx.Exec(ctx, `DELETE FROM directory_run WHERE source = $1 AND id < $2 - 100
		AND ended_at < clock_timestamp() - interval '1 day' AND state = 'done'
				AND coalesce((body->>'added')::int, 0) + coalesce((body->>'changed')::int, 0) +
				coalesce((body->>'removed')::int, 0) = 0 AND body->>'kind' <> 'whole'`, v.Source, v.ID); err != nil {
				return err
			}
		}
		for _, e := range events {
			if err := addEvent(ctx, tx, e); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Sources, v.Source)
	})
	return stop, err
}

// RunsPage gives runs, newest first; of one source where it is named.
func (s SourceTable) RunsPage(ctx context.Context, source string, ask page.Ask,
	word string) (page.Page[directory.Run], error) {
	if err := s.endSilentRuns(ctx); err != nil {
		return page.Page[directory.Run]{}, err
	}
	l := latest[directory.Run]{table: "directory_run", columns: runColumns, number: "id",
		text: "source || ' ' || state || ' ' || body::text", scan: oneRun,
		key: func(r *directory.Run) int64 { return r.ID }}
	if source != "" {
		l.only("source = ?", source)
	}
	return l.page(ctx, s.db, ask, word)
}

// LatestRuns gives the latest runs of each source, newest first, so many at most.
func (s SourceTable) LatestRuns(ctx context.Context, most int) (map[string][]directory.Run, error) {
	if err := s.endSilentRuns(ctx); err != nil {
		return nil, err
	}
	rows, err := s.pool.Query(ctx, "SELECT "+runColumns+" FROM (SELECT r.* FROM directory_source AS v CROSS JOIN "+
		"LATERAL (SELECT * FROM directory_run WHERE source = v.name ORDER BY id DESC LIMIT $1) AS r) AS latest "+
		"ORDER BY id DESC", most)
	if err != nil {
		return nil, translate(err)
	}
	list, err := pgx.CollectRows(rows, oneRun)
	out := map[string][]directory.Run{}
	for _, r := range list {
		out[r.Source] = append(out[r.Source], r)
	}
	return out, translate(err)
}

// EndedRuns gives, of each source, the latest pass that took something in or failed: not those that only looked, nor
// those that somebody stopped.
func (s SourceTable) EndedRuns(ctx context.Context) (map[string]directory.Run, error) {
	if err := s.endSilentRuns(ctx); err != nil {
		return nil, err
	}
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT ON (source) "+runColumns+" FROM directory_run WHERE state IN "+
		"('done', 'failed', 'held') AND body->>'kind' <> $1 ORDER BY source, id DESC", directory.RunDry)
	if err != nil {
		return nil, translate(err)
	}
	list, err := pgx.CollectRows(rows, oneRun)
	out := make(map[string]directory.Run, len(list))
	for _, r := range list {
		out[r.Source] = r
	}
	return out, translate(err)
}

// StopRun asks whichever process reads a source to stop.
func (s SourceTable) StopRun(ctx context.Context, source, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `UPDATE directory_run SET stop = true, state = CASE state WHEN 'waiting' THEN
		'stopped' ELSE state END,
			ended_at = CASE state WHEN 'waiting' THEN clock_timestamp() END WHERE source = $1
			AND state IN ('waiting', 'running')`, source)
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "run-unknown", "see cirque directory runs", "no pass over %q is under way", source)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Sources, source); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.PassStopped, Subject: source, Author: author}.Saying(
			"The pass over {source} was told to stop", "source", source))
	})
}

// Renames lists those that nobody has settled, oldest first.
func (s SourceTable) Renames(ctx context.Context) ([]directory.Proposal, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, source, kind, was, called, at FROM directory_rename WHERE settled_at IS "+
		"NULL ORDER BY id")
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (p directory.Proposal, err error) {
		err = r.Scan(&p.ID, &p.Source, &p.Kind, &p.From, &p.To, &p.At)
		return p, err
	})
	return out, translate(err)
}

// SettleRenames takes renames off the list.
func (s SourceTable) SettleRenames(ctx context.Context, ids []int64, author string) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "UPDATE directory_rename SET settled_at = clock_timestamp(), settled_by = $2 WHERE id = "+
			"ANY($1) AND settled_at IS NULL RETURNING kind || ' ' || was", ids, author)
		if err != nil {
			return err
		}
		settled, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil || len(settled) == 0 {
			return err
		}
		if err := notify(ctx, tx, event.Sources, "renames"); err != nil {
			return err
		}
		return addEvent(ctx, tx, event.Event{Kind: event.RenamesGone, Subject: settled[0], Author: author}.Saying(
			"Taken off the list of renames: {renames}", "renames", strings.Join(settled, ", ")))
	})
}
