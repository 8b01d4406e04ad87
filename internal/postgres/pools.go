package postgres

import (
	"context"
	"fmt"
	"maps"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/lease"
)

// A share is what one kind of asker has of the database: so that none of them waits for what another has begun.
type share struct {
	connections int32
	writers     int           // transactions that write at once: the other connections stay for whoever only reads
	statement   time.Duration // how long one statement may take
	lock        time.Duration // how long it may wait for what somebody else holds
}

// shares are small: a server has a hundred connections for all of its clients.
var shares = map[event.For]share{
	event.ForReadiness: {connections: 2, writers: 2, statement: 2 * time.Second, lock: time.Second},
	event.ForPresent:   {connections: 2, writers: 2, statement: 2 * time.Minute, lock: 10 * time.Second},
	event.ForAgents:    {connections: 6, writers: 4, statement: 10 * time.Second, lock: 5 * time.Second},
	event.ForPeople:    {connections: 6, writers: 4, statement: 20 * time.Second, lock: 5 * time.Second},
	event.ForWorkers:   {connections: 6, writers: 5, statement: 2 * time.Minute, lock: 30 * time.Second},
}

// beyond is how much longer than the server's own limit an answer is waited for: a connection that something in
// between swallows says nothing at all.
const beyond = time.Second

// acquireWithin bounds waiting for a connection, and pingWithin the look at one that has been idle for a second.
const (
	acquireWithin = 10 * time.Second
	pingWithin    = 2 * time.Second
	connectWithin = 5 * time.Second
)

// beginUnderLease begins what is done under a lease. A process that is frozen in the middle holds what it has locked,
// at the end its lease itself, and nobody goes on in its place until the server takes the transaction away from it:
// that is soon. Whoever works alone works between transactions, not in them.
const beginUnderLease = "BEGIN; SET LOCAL idle_in_transaction_session_timeout = '5s'"

// pools are a store's connections, by whom they are for; whoever does not say is one of the people.
type pools struct {
	base  *pgx.ConnConfig // how the database is connected to, without anybody's limits
	of    map[event.For]*pgxpool.Pool
	write map[event.For]chan struct{} // held by transactions that write
}

// settings are what the server is told of each connection; what the URL says itself stays. Keepalives and the user
// timeout have either side notice within seconds that the other has gone without a word (RFC 1122, section 4.2.3.6;
// RFC 5482).
func settings(statement, lock time.Duration) map[string]string {
	ms := func(d time.Duration) string { return fmt.Sprint(d.Milliseconds()) }
	return map[string]string{"application_name": "cirque", "statement_timeout": ms(statement), "lock_timeout": ms(lock),
		"idle_in_transaction_session_timeout": ms(max(statement, 30*time.Second)),
		"tcp_keepalives_idle":                 "5", "tcp_keepalives_interval": "2", "tcp_keepalives_count": "3",
		"tcp_user_timeout": "10000"}
}

// limited gives a connection's configuration with limits.
func limited(base *pgx.ConnConfig, statement, lock time.Duration) *pgx.ConnConfig {
	cfg := base.Copy()
	all := settings(statement, lock)
	maps.Copy(all, cfg.RuntimeParams)
	cfg.RuntimeParams = all
	cfg.ConnectTimeout = connectWithin
	cfg.DialFunc = dialer().DialContext
	return cfg
}

// openPools makes the pools; connections are made when they are needed.
func openPools(ctx context.Context, url string, own *backends, asked *queries) (*pools, error) {
	base, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fault.New(fault.Invalid, "database-url", "write postgres://USER@HOST/DATABASE",
			"the database's URL cannot be read")
	}
	base.ConnectTimeout, base.DialFunc = connectWithin, dialer().DialContext
	p := &pools{base: base, of: map[event.For]*pgxpool.Pool{}, write: map[event.For]chan struct{}{}}
	for who, sh := range shares {
		cfg, err := pgxpool.ParseConfig(url)
		if err != nil {
			p.Close()
			return nil, err // it was read a moment ago
		}
		cfg.MaxConns, cfg.PingTimeout = sh.connections, pingWithin
		cfg.ConnConfig = limited(cfg.ConnConfig, sh.statement, sh.lock)
		cfg.ConnConfig.Tracer = &tracer{asked, sh.statement + beyond}
		own.follow(cfg)
		pool, err := pgxpool.NewWithConfig(ctx, cfg)
		if err != nil {
			p.Close()
			return nil, translate(err)
		}
		p.of[who], p.write[who] = pool, make(chan struct{}, sh.writers)
	}
	return p, nil
}

func askedFor(ctx context.Context) event.For {
	if who, ok := ctx.Value(event.ForKey{}).(event.For); ok {
		if _, known := shares[who]; known {
			return who
		}
	}
	return event.ForPeople
}

// ours gives whose pool a question goes to.
func (p *pools) ours(ctx context.Context) *pgxpool.Pool { return p.of[askedFor(ctx)] }

// Query is pgxpool.Pool.Query.
func (p *pools) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	return p.ours(ctx).Query(ctx, sql, args...)
}

// QueryRow is pgxpool.Pool.QueryRow.
func (p *pools) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	return p.ours(ctx).QueryRow(ctx, sql, args...)
}

// Exec is pgxpool.Pool.Exec.
func (p *pools) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	return p.ours(ctx).Exec(ctx, sql, args...)
}

// BeginTx is pgxpool.Pool.BeginTx, for what only reads.
func (p *pools) BeginTx(ctx context.Context, o pgx.TxOptions) (pgx.Tx, error) {
	return p.ours(ctx).BeginTx(ctx, o)
}

// begin begins a transaction that writes; done is to be called once it has ended.
func (p *pools) begin(ctx context.Context) (tx pgx.Tx, done func(), err error) {
	turn := p.write[askedFor(ctx)]
	wait := time.NewTimer(acquireWithin)
	defer wait.Stop()
	select {
	case turn <- struct{}{}:
	case <-ctx.Done():
		return nil, nil, ctx.Err()
	case <-wait.C:
		return nil, nil, fault.New(fault.Unavailable, "database-busy", "try again in a moment, and see what the database "+
			"waits for", "the database has been busy with other changes for %d s", int(acquireWithin/time.Second))
	}
	var o pgx.TxOptions
	if _, alone := lease.Of(ctx.Value); alone {
		o.BeginQuery = beginUnderLease
	}
	if tx, err = p.ours(ctx).BeginTx(ctx, o); err != nil {
		<-turn
		return nil, nil, err
	}
	return tx, func() { <-turn }, nil
}

// reset has every connection made anew: those that lie idle are ended, those in use once they are given back.
func (p *pools) reset() {
	for _, pool := range p.of {
		pool.Reset()
	}
}

// Close ends all connections.
func (p *pools) Close() {
	for _, pool := range p.of {
		pool.Close()
	}
}
