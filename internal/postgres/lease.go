package postgres

import (
	"context"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"cirque/core/fault"
	"cirque/core/lease"
)

// Leases keeps who works alone among several processes. It has one connection of its own for all leases of the
// process, so that none lies on the pool that requests share, and a busy pool ends no lease.
type Leases struct {
	cfg *pgx.ConnConfig

	mu   sync.Mutex
	conn *pgx.Conn // nil until it is needed, and after it broke; guarded by mu
}

// Leases gives a keeper of leases with a connection of its own, which Close ends.
func (s *Store) Leases() *Leases {
	return &Leases{cfg: limited(s.pool.base, 5*time.Second, 5*time.Second)}
}

// Claim takes those of some leases that are free, and renews those that holder has; it gives the numbers of all that
// holder has afterwards. Whoever comes back to a lease that had ended meanwhile has it under a new number.
func (l *Leases) Claim(ctx context.Context, holder string, names []string, lasts time.Duration) (map[string]int64,
	error) {
	out := map[string]int64{}
	err := l.with(ctx, func(conn *pgx.Conn) error {
		rows, err := conn.Query(ctx, `
			INSERT INTO lease (name, holder, number, ends)
			SELECT n, $2, 1, clock_timestamp() + $3 FROM unnest($1::text[]) n ORDER BY n
			ON CONFLICT (name) DO UPDATE SET holder = $2, ends = clock_timestamp() + $3, number = lease.number +
				CASE WHEN lease.holder = $2 AND lease.ends > clock_timestamp() THEN 0 ELSE 1 END
			WHERE lease.holder = $2 OR lease.ends <= clock_timestamp()
			RETURNING name, number`, names, holder, lasts)
		if err != nil {
			return err
		}
		var name string
		var number int64
		_, err = pgx.ForEachRow(rows, []any{&name, &number}, func() error {
			out[name] = number
			return nil
		})
		return err
	})
	return out, err
}

// Release ends leases that holder has.
func (l *Leases) Release(ctx context.Context, holder string, names []string) error {
	return l.with(ctx, func(conn *pgx.Conn) error {
		_, err := conn.Exec(ctx, "UPDATE lease SET ends = clock_timestamp() WHERE holder = $1 AND name = ANY ($2)",
			holder, names)
		return err
	})
}

// Close ends the connection.
func (l *Leases) Close() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.drop()
}

// with does something on the connection, which is made anew where it is not there or breaks.
func (l *Leases) with(ctx context.Context, f func(conn *pgx.Conn) error) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.conn == nil || l.conn.IsClosed() {
		conn, err := pgx.ConnectConfig(ctx, l.cfg)
		if err != nil {
			return translate(err)
		}
		l.conn = conn
	}
	err := f(l.conn)
	if err != nil && code(err) == "" { // not the server's word about the statement: the connection is in doubt
		l.drop()
	}
	return translate(err)
}

// drop ends the connection; the caller holds mu.
func (l *Leases) drop() {
	if l.conn == nil {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	_ = l.conn.Close(ctx)
	l.conn = nil
}

// fenced gives a Conflict fault where something is written under a lease that is its holder's no more. Asked at the end
// of a transaction it keeps others from taking the lease until the transaction has ended.
func fenced(ctx context.Context, tx pgx.Tx) error {
	held, ok := lease.Of(ctx.Value)
	if !ok {
		return nil
	}
	var still bool
	err := tx.QueryRow(ctx, "SELECT true FROM lease WHERE name = $1 AND number = $2 AND ends > "+
		"clock_timestamp() FOR SHARE",
		held.Name, held.Number).Scan(&still)
	if err != nil && err != pgx.ErrNoRows {
		return err
	}
	if !still || !held.Valid() {
		return fault.New(fault.Conflict, "lease-ended", "another process goes on with it",
			"the lease %s has ended here", held.Name)
	}
	return nil
}
