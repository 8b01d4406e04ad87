// Package postgres keeps everything durable in PostgreSQL: the only SQL in Cirque, and the place where its errors
// become faults.
package postgres

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"

	"cirque/core/event"
	"cirque/core/fault"
	"cirque/internal/postgres/cluster"
)

//go:embed migrations/*.sql
var migrations embed.FS

// channel carries notices between processes.
const channel = "cirque"

// A Store is the database, by what is kept in it. Any number of goroutines may use it.
type Store struct {
	db
	own     *backends
	queries *queries

	Accounts      AccountTable
	Checkups      CheckupTable
	Credentials   CredentialTable
	Directories   DirectoryTable
	Drafts        DraftTable
	Duties        DutyTable
	Endpoints     EndpointTable
	Enrolments    EnrolmentTable
	Estates       EstateTable
	Events        EventTable
	FailoverTests FailoverTable
	Healths       HealthTable
	Links         LinkTable
	Listings      ListingTable
	Notices       NoticeTable
	Packages      PackageTable
	Persons       PersonTable
	Snapshots     SnapshotTable
	Picks         PickTable
	Requests      RequestTable
	Scans         ScanTable
	Sources       SourceTable
	Stock         StockTable
	Tokens        TokenTable
	Views         ViewTable
}

// db is the pool that all tables share.
type db struct {
	pool *pgxpool.Pool
}

// The tables, each with the statements about it.
type (
	// AccountTable keeps accounts and the rules by which people of directories have roles.
	AccountTable struct{ db }
	// CheckupTable keeps checkups and test pages.
	CheckupTable struct{ db }
	// CredentialTable keeps keys, sealed.
	CredentialTable struct{ db }
	// DirectoryTable keeps users, groups, units and machines.
	DirectoryTable struct{ db }
	// DraftTable keeps drafts.
	DraftTable struct{ db }
	// DutyTable keeps what is out of duty.
	DutyTable struct{ db }
	// EndpointTable keeps what endpoints reported.
	EndpointTable struct{ db }
	// EnrolmentTable keeps enrolment tokens and certificates.
	EnrolmentTable struct{ db }
	// EstateTable keeps the revisions of the estate.
	EstateTable struct{ db }
	// EventTable keeps what happened.
	EventTable struct{ db }
	// FailoverTable keeps failover tests.
	FailoverTable struct{ db }
	// HealthTable keeps what probing found.
	HealthTable struct{ db }
	// LinkTable keeps which accounts are one person.
	LinkTable struct{ db }
	// ListingTable keeps printer entries in directories.
	ListingTable struct{ db }
	// NoticeTable keeps who was told of what.
	NoticeTable struct{ db }
	// PackageTable keeps packages of drivers.
	PackageTable struct{ db }
	// PersonTable keeps what is kept of a person, across all tables.
	PersonTable struct{ db }
	// SnapshotTable keeps snapshots.
	SnapshotTable struct{ db }
	// PickTable keeps people's picks.
	PickTable struct{ db }
	// RequestTable keeps requests for queues.
	RequestTable struct{ db }
	// ScanTable keeps scans and what they found.
	ScanTable struct{ db }
	// SourceTable keeps sources of the directory and their runs.
	SourceTable struct{ db }
	// StockTable keeps registrations and readings of servers and devices.
	StockTable struct{ db }
	// TokenTable keeps sessions and tokens.
	TokenTable struct{ db }
	// ViewTable keeps lists of the console as people keep them.
	ViewTable struct{ db }
)

func newStore(pool *pgxpool.Pool) *Store {
	d := db{pool}
	return &Store{d, new(backends), new(queries), AccountTable{d}, CheckupTable{d}, CredentialTable{d}, DirectoryTable{d},
		DraftTable{d}, DutyTable{d},
		EndpointTable{d}, EnrolmentTable{d}, EstateTable{d}, EventTable{d}, FailoverTable{d}, HealthTable{d}, LinkTable{d},
		ListingTable{d}, NoticeTable{d}, PackageTable{d}, PersonTable{d}, SnapshotTable{d}, PickTable{d}, RequestTable{d},
		ScanTable{d}, SourceTable{d}, StockTable{d}, TokenTable{d}, ViewTable{d}}
}

// Open connects and checks the server's version; it does not migrate.
func Open(ctx context.Context, url string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fault.New(fault.Invalid, "database-url", "write postgres://USER@HOST/DATABASE",
			"the database's URL cannot be read")
	}
	cfg.MaxConns = 12
	cfg.ConnConfig.ConnectTimeout = 5 * time.Second
	own, asked := &backends{}, &queries{}
	own.follow(cfg)
	cfg.ConnConfig.Tracer = asked
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, translate(err)
	}
	s := newStore(pool)
	s.own, s.queries = own, asked
	var version int
	if err := pool.QueryRow(ctx, "SELECT current_setting('server_version_num')::int").Scan(&version); err != nil {
		pool.Close()
		return nil, translate(err)
	}
	if version/10000 < cluster.Oldest {
		pool.Close()
		return nil, fault.New(fault.Unavailable, "database-version", fmt.Sprintf("use a server of version %d or later",
			cluster.Oldest), "the database server has version %d", version/10000)
	}
	return s, nil
}

// Create makes a database on a server unless it is there.
func Create(ctx context.Context, serverURL, database string) error {
	conn, err := pgx.Connect(ctx, serverURL)
	if err != nil {
		return translate(err)
	}
	defer func() { _ = conn.Close(ctx) }()
	var there bool
	if err := conn.QueryRow(ctx, "SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1)",
		database).Scan(&there); err != nil || there {
		return translate(err)
	}
	_, err = conn.Exec(ctx, "CREATE DATABASE "+pgx.Identifier{database}.Sanitize())
	if code(err) == "42P04" || code(err) == "23505" { // somebody else was quicker
		return nil
	}
	return translate(err)
}

// Migrate brings the schema up to date. Several processes may call it at once: a lock lets one work.
func (s *Store) Migrate(ctx context.Context) error {
	db := stdlib.OpenDBFromPool(s.pool)
	defer func() { _ = db.Close() }()
	locker, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 60), lock.WithUnlockTimeout(1, 60))
	if err != nil {
		return err
	}
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectPostgres, db, sub, goose.WithSessionLocker(locker))
	if err != nil {
		return err
	}
	current, newest, err := p.GetVersions(ctx)
	if err == nil && current > newest {
		return fault.New(fault.Unavailable, "database-newer", "run the newer Cirque, or restore a copy made before it",
			"the database is at schema %d, and this Cirque knows %d", current, newest)
	}
	_, err = p.Up(ctx)
	return translate(err)
}

// Close ends all connections.
func (s *Store) Close() { s.pool.Close() }

// Ping says whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return translate(s.pool.Ping(ctx)) }

func code(err error) string {
	if pe, ok := errors.AsType[*pgconn.PgError](err); ok {
		return pe.Code
	}
	return ""
}

// translate turns a database error into a fault; nil stays nil, and faults stay themselves.
func translate(err error) error {
	if err == nil {
		return nil
	}
	if _, ok := errors.AsType[*fault.Error](err); ok {
		return err
	}
	if errors.Is(err, context.Canceled) {
		return err
	}
	if pe, ok := errors.AsType[*pgconn.PgError](err); ok && pe.Code[:2] == "22" { // data exceptions
		return fault.New(fault.Invalid, "value-out-of-range", "write a usual text, or a smaller number", "a value is beyond "+
			"what is kept").Because(err)
	}
	if pe, ok := errors.AsType[*pgconn.PgError](err); ok && pe.Code[:2] != "57" && pe.Code[:2] != "08" &&
		pe.Code[:2] != "53" {
		return fault.As(err)
	}
	// What does not fit into a column is said by the driver in words alone.
	if strings.Contains(err.Error(), "unable to encode") {
		return fault.New(fault.Invalid, "value-out-of-range", "write a smaller number", "a number is beyond what is kept").
			Because(err)
	}
	return fault.New(fault.Unavailable, "database-unavailable", "look at the database, and try again",
		"the database does not answer").Because(err)
}

// notify tells every process, once the transaction has committed.
func notify(ctx context.Context, tx pgx.Tx, what, subject string) error {
	_, err := tx.Exec(ctx, "SELECT pg_notify($1, $2)", channel, what+" "+subject)
	return err
}

// addEvent records an event in the transaction and tells every process.
func addEvent(ctx context.Context, tx pgx.Tx, e event.Event) error {
	var id int64
	if e.Remote == "" {
		e.Remote, _ = ctx.Value(event.OriginKey{}).(string)
	}
	err := tx.QueryRow(ctx, "INSERT INTO event (kind, subject, author, says, remote, before, after, sentence) "+
		"VALUES ($1, "+
		"$2, $3, $4, $5, $6, $7, $8) RETURNING id", e.Kind, e.Subject, e.Author, e.Says, e.Remote, e.Before, e.After,
		e.Sentence).Scan(&id)
	if err != nil {
		return err
	}
	return notify(ctx, tx, event.Happened, fmt.Sprint(id))
}

// in runs f in one transaction. What is done under a lease is committed only while the lease is still its holder's.
func (s db) in(ctx context.Context, f func(tx pgx.Tx) error) error {
	return translate(pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if err := f(tx); err != nil {
			return err
		}
		return fenced(ctx, tx)
	}))
}

// exec runs one statement in a transaction of its own.
func (s db) exec(ctx context.Context, sql string, args ...any) error {
	return s.in(ctx, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, sql, args...)
		return err
	})
}
