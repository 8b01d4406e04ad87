package postgres

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// A Table is one that is copied, by name and columns.
type Table struct {
	Name    string   `json:"name"`
	Columns []string `json:"columns"`
	Rows    int64    `json:"rows"` // about how many, as the server estimates
	Bytes   int64    `json:"bytes"`
	After   []string `json:"-"` // tables that it refers to
}

// A Sequence with the number that it gives next.
type Sequence struct {
	Name string `json:"name"`
	Next int64  `json:"next"`
}

// A Copy is all that is kept as it was at one moment, whatever is changed while it is read.
type Copy struct {
	At        time.Time // by the database's clock
	Schema    int64
	Server    int // major version
	Revision  int // of the estate
	Tables    []Table
	Sequences []Sequence

	conn *pgx.Conn
}

// Not copied: what is told between processes that run, and who they are.
// Documents of jobs are not either: they are nobody's but their owners', and a copy outlives them.
var passing = []string{"goose_db_version", "signal", "process", "lease", "job_document", "job_chunk"}

// Copy looks at all that is kept. It is read over a connection of its own, for as long as that takes; Close it.
func (s *Store) Copy(ctx context.Context) (c *Copy, err error) {
	conn, err := pgx.ConnectConfig(ctx, s.pool.base.Copy())
	if err != nil {
		return nil, translate(err)
	}
	c = &Copy{conn: conn}
	if err := c.look(ctx); err != nil {
		c.Close()
		return nil, translate(err)
	}
	return c, nil
}

// look takes the moment of which the copy is, with its first query.
func (c *Copy) look(ctx context.Context) error {
	// A standby may give up what reads for long while it follows; it is asked to wait, where the settings let it.
	if _, err := c.conn.Exec(ctx, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY"); err != nil {
		return err
	}
	err := c.conn.QueryRow(ctx, "SELECT clock_timestamp(), (SELECT coalesce(max(version_id), 0) FROM goose_db_version "+
		"WHERE is_applied), current_setting('server_version_num')::int / 10000, coalesce((SELECT max(number) FROM "+
		"revision), 0)").Scan(&c.At, &c.Schema, &c.Server, &c.Revision)
	if err != nil {
		return err
	}
	if c.Tables, err = tablesOf(ctx, c.conn); err != nil {
		return err
	}
	for i, t := range c.Tables {
		if t.Name == "event" {
			c.Tables[i].Columns = slices.DeleteFunc(t.Columns, func(column string) bool { return column == "xid" })
		}
	}
	rows, err := c.conn.Query(ctx, "SELECT sequencename, coalesce(last_value + 1, start_value) FROM pg_sequences WHERE "+
		"schemaname = current_schema() AND sequencename NOT LIKE 'goose%' ORDER BY sequencename")
	if err != nil {
		return err
	}
	c.Sequences, err = pgx.CollectRows(rows, pgx.RowToStructByPos[Sequence])
	return err
}

// tablesOf lists the tables, each after those that it refers to.
func tablesOf(ctx context.Context, conn *pgx.Conn) ([]Table, error) {
	rows, err := conn.Query(ctx, "SELECT c.relname, ARRAY(SELECT attname::text FROM pg_attribute a WHERE a.attrelid = "+
		"c.oid AND attnum > 0 AND NOT attisdropped AND attgenerated = '' ORDER BY attnum), greatest(reltuples, 0)::bigint, "+
		"pg_total_relation_size(c.oid), ARRAY(SELECT DISTINCT r.relname::text FROM pg_constraint k JOIN pg_class r ON r.oid "+
		"= k.confrelid WHERE k.conrelid = c.oid AND k.contype = 'f' AND r.oid <> c.oid) FROM pg_class c WHERE relkind = 'r' "+
		"AND relnamespace = current_schema()::regnamespace AND relname <> ALL ($1) ORDER BY relname", passing)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Table])
	if err != nil {
		return nil, err
	}
	var out []Table
	placed := map[string]bool{}
	for len(out) < len(list) {
		before := len(out)
		for _, t := range list {
			if !placed[t.Name] && !slices.ContainsFunc(t.After, func(a string) bool { return !placed[a] }) {
				placed[t.Name] = true
				out = append(out, t)
			}
		}
		if len(out) == before {
			return nil, fmt.Errorf("tables refer to each other in a ring: %v", list)
		}
	}
	return out, nil
}

// Of writes a table's rows to w, in the binary form of PostgreSQL's COPY, and gives how many.
//
// A transaction's number means nothing elsewhere. Events are copied without it; how far the audit was sent is written
// down by the number of an event instead, before whatever was not sent.
func (c *Copy) Of(ctx context.Context, t Table, w io.Writer) (rows int64, err error) {
	tag, err := c.conn.PgConn().CopyTo(ctx, w, "COPY (SELECT "+t.columns(expressions)+" FROM "+
		pgx.Identifier{t.Name}.Sanitize()+") TO STDOUT (FORMAT binary)")
	return tag.RowsAffected(), translate(err)
}

// Close ends the copy.
func (c *Copy) Close() { hangUp(c.conn) }

// hangUp ends a connection, also where whoever used it has been stopped; one that does not answer ends without a word.
func hangUp(conn *pgx.Conn) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	_ = conn.Close(ctx)
}

// expressions stand in a copy for what means nothing elsewhere.
var expressions = map[string]string{
	"audit_forward.xid": "'3'::xid8 AS xid", // the first of any server
	"audit_forward.id": "least(id, (SELECT min(e.id) - 1 FROM event e WHERE (e.xid, e.id) > " +
		"(audit_forward.xid, audit_forward.id))) AS id",
}

func (t Table) columns(instead map[string]string) string {
	var out []string
	for _, name := range t.Columns {
		column := pgx.Identifier{name}.Sanitize()
		if e := instead[t.Name+"."+name]; e != "" {
			column = e
		}
		out = append(out, column)
	}
	return strings.Join(out, ", ")
}
