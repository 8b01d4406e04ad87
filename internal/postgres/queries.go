package postgres

import (
	"context"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/event"
)

// slowly is how long a query may take before it is told of.
const slowly = 500 * time.Millisecond

// queries counts a store's queries by what asked for them, and tells of those that take long. It is a tracer of pgx.
type queries struct {
	log atomic.Pointer[slog.Logger]
	by  sync.Map // of *atomic.Int64, by event.RouteKey's value: as many as there are routes and workers
}

type tracedKey struct{}

// traced is a query that is under way.
type traced struct {
	sql   string
	begun time.Time
}

func askedBy(ctx context.Context) string {
	if by, _ := ctx.Value(event.RouteKey{}).(string); by != "" {
		return by
	}
	return "other"
}

// TraceQueryStart notes what begins.
func (q *queries) TraceQueryStart(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryStartData) context.Context {
	n, ok := q.by.Load(askedBy(ctx))
	if !ok {
		n, _ = q.by.LoadOrStore(askedBy(ctx), new(atomic.Int64))
	}
	n.(*atomic.Int64).Add(1)
	return context.WithValue(ctx, tracedKey{}, traced{d.SQL, time.Now()})
}

// TraceQueryEnd tells of what took long. What a query was asked with stays out of the log: it may be anybody's.
func (q *queries) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryEndData) {
	t, _ := ctx.Value(tracedKey{}).(traced)
	log := q.log.Load()
	if took := time.Since(t.begun); log != nil && took >= slowly && !t.begun.IsZero() {
		log.Warn("a query took long", "for", askedBy(ctx), "ms", took.Milliseconds(), "rows", d.CommandTag.RowsAffected(),
			"query", strings.Join(strings.Fields(t.sql), " "), "failed", d.Err != nil)
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
