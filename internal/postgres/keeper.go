package postgres

import (
	"context"
	"encoding/json"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/server"
)

// KeeperVersions gives a version of what each agent that keeps a print server said last, by its machine, folded:
// another whenever the row was written, whoever did, as when a person is erased.
func (s KeeperTable) KeeperVersions(ctx context.Context) (map[string]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT folded, xmin::text FROM keeper")
	if err != nil {
		return nil, translate(err)
	}
	out := map[string]string{}
	var folded, version string
	_, err = pgx.ForEachRow(rows, []any{&folded, &version}, func() error {
		out[folded] = version
		return nil
	})
	return out, translate(err)
}

// KeepersOf gives what the agents on some machines said last, with its version, by machine, folded.
func (s KeeperTable) KeepersOf(ctx context.Context, machines []string) (map[string]server.Versioned, error) {
	rows, err := s.pool.Query(ctx, "SELECT folded, xmin::text, first_seen, last_seen, report FROM keeper WHERE folded = "+
		"ANY($1)", machines)
	if err != nil {
		return nil, translate(err)
	}
	out := map[string]server.Versioned{}
	var folded string
	var r server.Versioned
	_, err = pgx.ForEachRow(rows, []any{&folded, &r.Version, &r.FirstSeen, &r.LastSeen, &r.Report}, func() error {
		out[folded] = r
		r = server.Versioned{}
		return nil
	})
	return out, translate(err)
}

// SaveKept keeps what an agent says of its server, and forgets the queues that it has taken over. happens says what
// that is, once it is known how it stood before: failing is nil for one that never reported.
func (s KeeperTable) SaveKept(ctx context.Context, r server.Report, happens func(failing *bool) []event.Event) error {
	text, err := json.Marshal(r)
	if err != nil {
		return err
	}
	own := []string{}
	for _, f := range r.Found {
		if f.Own {
			own = append(own, f.Name)
		}
	}
	return s.in(ctx, func(tx pgx.Tx) error {
		var was *bool
		failing := len(r.Failures) > 0 || r.Unread != ""
		err := tx.QueryRow(ctx, `WITH was AS (SELECT failing FROM keeper WHERE folded = $1)
			INSERT INTO keeper (folded, report, failing) VALUES ($1, $2, $3)
			ON CONFLICT (folded) DO UPDATE SET report = excluded.report, failing = excluded.failing,
			last_seen = clock_timestamp() RETURNING (SELECT failing FROM was)`, name.Fold(r.Machine), text, failing).Scan(&was)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM keeper_take WHERE server = $1 AND queue = ANY($2)", r.Server,
			own); err != nil {
			return err
		}
		for _, d := range r.Done {
			if _, err := tx.Exec(ctx, "UPDATE keeper_task SET ok = $3, says = $4 WHERE id = $1 AND server = $2 AND ok IS NULL",
				d.ID, r.Server, d.OK, d.Says); err != nil {
				return err
			}
		}
		for _, e := range happens(was) {
			if err := addEvent(ctx, tx, e); err != nil {
				return err
			}
		}
		return notify(ctx, tx, event.Kept, r.Machine)
	})
}

// RemoveKeeper forgets what an agent said; an Unknown fault where none did.
func (s KeeperTable) RemoveKeeper(ctx context.Context, machine string, e event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM keeper WHERE folded = $1", name.Fold(machine))
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "keeper-unknown", "see cirque server kept", "no agent on %s has said that it keeps "+
				"a server", machine)
		}
		if err != nil {
			return err
		}
		if err := notify(ctx, tx, event.Kept, machine); err != nil {
			return err
		}
		return addEvent(ctx, tx, e)
	})
}

// Takes names the queues on a server that are to become Cirque's own, and have not yet.
func (s KeeperTable) Takes(ctx context.Context, called string) ([]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT queue FROM keeper_take WHERE server = $1 ORDER BY queue", called)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, pgx.RowTo[string])
	return out, translate(err)
}

// Take notes that queues on a server are to become Cirque's own, and calls the agent that keeps it.
func (s KeeperTable) Take(ctx context.Context, called, machine string, queues []string, author string,
	events ...event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "INSERT INTO keeper_take (server, queue, author) SELECT $1, unnest($2::text[]), $3 ON "+
			"CONFLICT (server, queue) DO NOTHING", called, queues, author); err != nil {
			return err
		}
		return s.changed(ctx, tx, machine, events)
	})
}

// Leave takes that back for a queue that has not been taken over yet; an Unknown fault where it was not to be.
func (s KeeperTable) Leave(ctx context.Context, called, machine, queue string, events ...event.Event) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, "DELETE FROM keeper_take WHERE server = $1 AND queue = $2", called, queue)
		if err == nil && tag.RowsAffected() == 0 {
			return fault.New(fault.Unknown, "take-unknown", "see cirque server kept "+called,
				"the queue %s on %s is not about to be taken over", queue, called)
		}
		if err != nil {
			return err
		}
		return s.changed(ctx, tx, machine, events)
	})
}

// AddTask asks the agent that keeps a server to do something with a job. What was asked a day ago is forgotten.
func (s KeeperTable) AddTask(ctx context.Context, called, machine string, t server.Task, author string) (id int64,
	err error) {
	err = s.in(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "DELETE FROM keeper_task WHERE at < clock_timestamp() - interval '1 day'"); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, "INSERT INTO keeper_task (server, task, author) VALUES ($1, $2, $3) RETURNING id", called,
			t, author).Scan(&id); err != nil {
			return err
		}
		return s.changed(ctx, tx, machine, nil)
	})
	return id, err
}

// Tasks lists what is to be done with jobs on a server.
func (s KeeperTable) Tasks(ctx context.Context, called string) ([]server.Task, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, task FROM keeper_task WHERE server = $1 AND ok IS NULL ORDER BY id", called)
	if err != nil {
		return nil, translate(err)
	}
	out, err := pgx.CollectRows(rows, func(r pgx.CollectableRow) (t server.Task, err error) {
		var id int64
		err = r.Scan(&id, &t)
		t.ID = id
		return t, err
	})
	return out, translate(err)
}

// TaskDone says what came of a task; nil while it is not done.
func (s KeeperTable) TaskDone(ctx context.Context, id int64) (*server.Done, error) {
	d := server.Done{ID: id}
	var ok *bool
	err := s.pool.QueryRow(ctx, "SELECT ok, says FROM keeper_task WHERE id = $1", id).Scan(&ok, &d.Says)
	if err != nil || ok == nil {
		return nil, translate(err)
	}
	d.OK = *ok
	return &d, nil
}

func (s KeeperTable) changed(ctx context.Context, tx pgx.Tx, machine string, events []event.Event) error {
	for _, e := range events {
		if err := addEvent(ctx, tx, e); err != nil {
			return err
		}
	}
	if err := notify(ctx, tx, event.Call, machine); err != nil {
		return err
	}
	return notify(ctx, tx, event.Kept, machine)
}
