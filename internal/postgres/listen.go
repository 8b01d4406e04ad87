package postgres

import (
	"context"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"cirque/core/event"
)

// Listen gives notices to f until ctx is done, one at a time. Whenever it (re)connects it gives event.Lost first, since
// notices may have been missed; while the connection is away it calls down with the cause.
func (s *Store) Listen(ctx context.Context, f func(event.Signal), down func(error)) {
	const shortest, longest = 50 * time.Millisecond, 2 * time.Second
	wait := shortest
	for ctx.Err() == nil {
		err := s.listen(ctx, func(n event.Signal) { wait = shortest; f(n) })
		if ctx.Err() != nil {
			return
		}
		down(translate(err))
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
		wait = min(wait*2, longest)
	}
}

func (s *Store) listen(ctx context.Context, f func(event.Signal)) error {
	// A connection of its own: one from the pool would have to be given back.
	conn, err := pgx.ConnectConfig(ctx, s.pool.Config().ConnConfig)
	if err != nil {
		return err
	}
	defer func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
		defer cancel()
		_ = conn.Close(ctx)
	}()
	if _, err := conn.Exec(ctx, "LISTEN "+channel); err != nil {
		return err
	}
	f(event.Signal{What: event.Lost})
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		what, subject, _ := strings.Cut(n.Payload, " ")
		f(event.Signal{What: what, Subject: subject, Own: s.own.has(n.PID)})
	}
}

// backends are the server's processes that serve a store's own pool: whatever they send, this process wrote.
type backends struct{ pids sync.Map }

func (b *backends) follow(cfg *pgxpool.Config) {
	cfg.AfterConnect = func(_ context.Context, c *pgx.Conn) error {
		b.pids.Store(c.PgConn().PID(), true)
		return nil
	}
	cfg.BeforeClose = func(c *pgx.Conn) { b.pids.Delete(c.PgConn().PID()) }
}

func (b *backends) has(pid uint32) bool {
	_, own := b.pids.Load(pid)
	return own
}
