package postgres

import (
	"context"
	"log/slog"
	"net"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"cirque/core/event"
)

// slowly is how long a query may take before it is told of.
const slowly = 500 * time.Millisecond

// queries counts a store's queries by what asked for them, and tells of those that take long.
type queries struct {
	log atomic.Pointer[slog.Logger]
	now sync.Map // of traced, by their own addresses: those under way
	by  sync.Map // of *atomic.Int64, by event.RouteKey's value: as many as there are routes and workers
}

type tracedKey struct{}

// traced is a query that is under way.
type traced struct {
	sql   string
	pid   uint32 // of the server's process
	conn  net.Conn
	begun time.Time
	done  context.CancelFunc
}

// A tracer of pgx sees every query of a pool: it counts them, and ends those to which no answer comes. The context that
// it gives is the one by which the query goes on.
type tracer struct {
	*queries
	within time.Duration
}

// TraceAcquireStart bounds waiting for a connection.
func (t *tracer) TraceAcquireStart(ctx context.Context, _ *pgxpool.Pool,
	_ pgxpool.TraceAcquireStartData) context.Context {
	ctx, done := context.WithTimeout(ctx, acquireWithin)
	return context.WithValue(ctx, tracedKey{}, &traced{done: done})
}

// TraceAcquireEnd ends it.
func (t *tracer) TraceAcquireEnd(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireEndData) {
	if v, _ := ctx.Value(tracedKey{}).(*traced); v != nil {
		v.done()
	}
}

func (t *tracer) begin(ctx context.Context, conn *pgx.Conn, sql string) context.Context {
	ctx, done := context.WithTimeout(ctx, t.within)
	q := &traced{sql, conn.PgConn().PID(), conn.PgConn().Conn(), time.Now(), done}
	t.now.Store(q, true)
	return context.WithValue(ctx, tracedKey{}, q)
}

// waiting gives the queries that have been under way for so long, by the server's process that has them.
func (q *queries) waiting(since time.Duration) map[uint32]*traced {
	out := map[uint32]*traced{}
	q.now.Range(func(k, _ any) bool {
		if t := k.(*traced); time.Since(t.begun) > since {
			out[t.pid] = t
		}
		return true
	})
	return out
}

// TraceQueryStart notes what begins.
func (t *tracer) TraceQueryStart(ctx context.Context, c *pgx.Conn, d pgx.TraceQueryStartData) context.Context {
	t.count(ctx)
	return t.begin(ctx, c, d.SQL)
}

// TraceQueryEnd tells of what took long.
func (t *tracer) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryEndData) {
	t.ended(ctx, d.CommandTag.RowsAffected(), d.Err)
}

// TraceBatchStart notes what begins.
func (t *tracer) TraceBatchStart(ctx context.Context, c *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	t.count(ctx)
	return t.begin(ctx, c, "several at once")
}

// TraceBatchQuery does nothing.
func (t *tracer) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}

// TraceBatchEnd tells of what took long.
func (t *tracer) TraceBatchEnd(ctx context.Context, _ *pgx.Conn, d pgx.TraceBatchEndData) {
	t.ended(ctx, 0, d.Err)
}

// TraceCopyFromStart notes what begins.
func (t *tracer) TraceCopyFromStart(ctx context.Context, c *pgx.Conn, d pgx.TraceCopyFromStartData) context.Context {
	t.count(ctx)
	return t.begin(ctx, c, "COPY "+d.TableName.Sanitize())
}

// TraceCopyFromEnd tells of what took long.
func (t *tracer) TraceCopyFromEnd(ctx context.Context, _ *pgx.Conn, d pgx.TraceCopyFromEndData) {
	t.ended(ctx, d.CommandTag.RowsAffected(), d.Err)
}

func askedBy(ctx context.Context) string {
	if by, _ := ctx.Value(event.RouteKey{}).(string); by != "" {
		return by
	}
	return "other"
}

func (q *queries) count(ctx context.Context) {
	n, ok := q.by.Load(askedBy(ctx))
	if !ok {
		n, _ = q.by.LoadOrStore(askedBy(ctx), new(atomic.Int64))
	}
	n.(*atomic.Int64).Add(1)
}

// ended tells of what took long. What a query was asked with stays out of the log: it may be anybody's.
func (q *queries) ended(ctx context.Context, rows int64, err error) {
	t, _ := ctx.Value(tracedKey{}).(*traced)
	if t == nil {
		return
	}
	t.done()
	q.now.Delete(t)
	log := q.log.Load()
	if took := time.Since(t.begun); log != nil && took >= slowly {
		log.Warn("a query took long", "for", askedBy(ctx), "ms", took.Milliseconds(), "rows", rows,
			"query", strings.Join(strings.Fields(t.sql), " "), "failed", err != nil)
	}
}

// TellSlow has queries that take long told of in a log.
func (s *Store) TellSlow(log *slog.Logger) { s.queries.log.Store(log) }

// Queries counts the queries since the store was opened, by what asked for them.
func (s *Store) Queries() map[string]int64 {
	out := map[string]int64{}
	s.queries.by.Range(func(by, n any) bool {
		out[by.(string)] = n.(*atomic.Int64).Load()
		return true
	})
	return out
}
